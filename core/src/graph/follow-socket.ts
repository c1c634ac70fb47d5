import { readJson, writeJson } from '../codec/json';
import type { Delivery } from '../events/ports';
import { BackendFailure, type BackendSocket } from '../flow/ports';
import type { GraphRequest } from './execute';
import { CutOff, event } from './followed';

const ID = '1';

interface Told {
  readonly id?: unknown;
  readonly type?: unknown;
  readonly payload?: unknown;
}

/**
 * Begins one operation on a fresh socket (GraphQL over WebSocket Protocol: connection_init, connection_ack, subscribe), and gives its results. Throws CutOff
 * where the backend refuses it, BackendFailure where it does not answer in time or breaks off.
 */
export async function socketResults(
  socket: BackendSocket,
  request: GraphRequest,
  { name, timeoutMs }: { readonly name: string; readonly timeoutMs: number },
): Promise<{ texts: AsyncIterable<Delivery>; close: () => void }> {
  const messages = socket.texts[Symbol.asyncIterator]();
  const next = async (): Promise<Told | undefined> => {
    for (;;) {
      const { value, done } = await messages.next();
      if (done) return undefined;
      const told = readTold(value, name);
      if (told.type === 'ping') socket.send('{"type":"pong"}');
      else if (told.type !== 'pong') return told;
    }
  };
  socket.send('{"type":"connection_init"}');
  const first = await within(next(), timeoutMs);
  if (first?.type !== 'connection_ack')
    throw new CutOff(
      first ? `it began with ${String(first.type as string)} in place of connection_ack` : closed(socket),
    );
  const { query, variables, operationName } = request;
  const payload = { query, ...(variables && { variables }), ...(operationName !== undefined && { operationName }) };
  socket.send(writeJson({ id: ID, type: 'subscribe', payload }));
  let done = false;
  return {
    texts: results(),
    close() {
      if (!done && !socket.closing) socket.send(writeJson({ id: ID, type: 'complete' }));
      socket.close();
    },
  };

  async function* results(): AsyncGenerator<Delivery> {
    for (let told = await next(); told; told = await next()) {
      if (told.id !== ID) continue;
      if (told.type === 'next') yield event(writeJson(told.payload));
      else if (told.type === 'error') {
        done = true;
        yield event(writeJson({ errors: told.payload }));
        return;
      } else if (told.type === 'complete') {
        done = true;
        return;
      }
    }
    throw new CutOff(`${name} ended the stream without completing the subscription.`);
  }
}

function readTold(text: string, name: string): Told {
  try {
    const value = readJson(text);
    if (value !== null && typeof value === 'object') return value;
  } catch {
    // Told below.
  }
  throw new CutOff(`${name} sent a message that is none of the protocol.`);
}

const closed = ({ closing }: BackendSocket): string =>
  closing ? `it closed the socket: ${closing.code} ${closing.words}`.trim() : 'it closed the socket';

function within<T>(wait: Promise<T>, ms: number): Promise<T> {
  return new Promise((resolve, reject) => {
    const late = setTimeout(() => reject(new BackendFailure('timeout', `no connection_ack within ${ms} ms`)), ms);
    wait.then(resolve, reject).finally(() => clearTimeout(late));
  });
}
