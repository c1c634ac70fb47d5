import { createParser } from 'eventsource-parser';
import { STREAM } from '../events/stream';
import type { Delivery } from '../events/ports';
import { BackendFailure, type BackendStream } from '../flow/ports';
import type { Run } from '../flow/run';
import { LIMITS } from '../limits';
import { Body } from '../message/body';
import { essence, isJson, withFields, type Headers } from '../message/headers';
import { Refusal } from '../problem';
import { addressOf, failed, unreadable } from '../steps/call/send';
import type { BackendContext } from '../steps/kind';
import type { GraphRequest } from './execute';
import { socketResults } from './follow-socket';
import { CutOff, event, Followed, following, Once, readResult, RESULT_CHARS } from './followed';
import { GRAPH_SOCKET } from './protocol';
import type { GraphSubscription } from './service';

type Settings = { readonly by: 'sse' | 'websocket'; readonly path?: string } | undefined;
type Follow = (run: Run, request: GraphRequest) => Promise<GraphSubscription>;

/** Hands a checked subscription on to a GraphQL backend and follows its results, in the way that the backend knows. Throws Refusal. */
export const followAt = (backend: BackendContext, settings?: Settings): Follow =>
  settings?.by === 'websocket' ? followBySocket(backend, settings.path) : followByEvents(backend, settings?.path);

interface Asked {
  readonly url: string;
  readonly headers: Headers;
  readonly body: Body;
}

/** Asks with the credentials of the backend, and once more where it no longer knows them. */
async function asking<R extends { readonly status?: number }>(
  backend: BackendContext,
  run: Run,
  plain: Asked,
  ask: (shown: Asked) => Promise<R>,
  drop: (answer: R) => void,
): Promise<R> {
  const started = run.ports.clock.now();
  try {
    const shown = backend.credentials ? await backend.credentials.add(run, plain) : plain;
    const answer = await ask(shown);
    if (answer.status !== 401 || !backend.credentials?.renew(run, shown)) return answer;
    drop(answer);
    return await ask(await backend.credentials.add(run, plain));
  } catch (error) {
    throw failed(error, backend.name, plain.url, backend.document.timeoutMs ?? LIMITS.callMs);
  } finally {
    run.backendMs += run.ports.clock.now() - started;
  }
}

const noStreams = (backend: BackendContext): Refusal =>
  new Refusal('HNG-510', {
    detail: `${backend.name} cannot be listened to now.`,
    inner: 'streams of backends cannot be opened here',
  });

const urlOf = (backend: BackendContext, run: Run, path: string | undefined): string => {
  const address = addressOf(backend, run);
  return path === undefined ? address : new URL(path, address).href;
};

/**
 * GraphQL over Server-Sent Events, one stream for one operation; its text is public, from memory: events `next` with a result each, `complete` at the end.
 * What breaks off in the middle is told as an error of the subscription.
 */
function followByEvents(backend: BackendContext, path: string | undefined): Follow {
  const timeoutMs = backend.document.timeoutMs ?? LIMITS.callMs;
  return async (run, { query, variables, operationName }) => {
    const { backends } = run.ports;
    if (!backends.open) throw noStreams(backend);
    const value = { query, ...(variables && { variables }), ...(operationName !== undefined && { operationName }) };
    const plain = {
      url: urlOf(backend, run, path),
      headers: withFields({ 'content-type': 'application/json', accept: STREAM }, run.outbound),
      body: Body.ofValue(value, 'application/json'),
    };
    const ask = (shown: Asked) => backends.open!({ backend: backend.name, method: 'POST', timeoutMs, ...shown });
    const stream = await asking(backend, run, plain, ask, (s) => s.close());
    run.notes = { url: plain.url, method: 'POST', status: stream.status, as: 'subscription' };
    const mediaType = stream.headers['content-type'];
    if (stream.status < 300 && essence(mediaType) === STREAM)
      return following(new Followed(streamResults(stream, backend.name), () => stream.close(), backend.name));
    const answer = await whole(stream, backend.name, plain.url, timeoutMs);
    const result = isJson(mediaType) ? readResult(answer) : undefined;
    if (!result?.errors)
      throw unreadable(
        backend,
        `status ${stream.status} with content type ${mediaType ?? '(none)'}; ${STREAM} was expected`,
      );
    // Refused with reasons of its own.
    return following(new Once(answer));
  };
}

/** By GraphQL over WebSocket, one socket for one operation. */
function followBySocket(backend: BackendContext, path: string | undefined): Follow {
  const timeoutMs = backend.document.timeoutMs ?? LIMITS.callMs;
  return async (run, request) => {
    const { backends } = run.ports;
    if (!backends.socket) throw noStreams(backend);
    const plain = { url: urlOf(backend, run, path), headers: withFields({}, run.outbound), body: Body.empty() };
    const ask = (shown: Asked) =>
      backends.socket!({ backend: backend.name, method: 'GET', timeoutMs, ...shown }, GRAPH_SOCKET);
    const socket = await asking(backend, run, plain, ask, () => undefined);
    run.notes = { url: plain.url, as: 'subscription', by: GRAPH_SOCKET };
    if (!('texts' in socket))
      throw unreadable(
        backend,
        `status ${socket.status} to the handshake of a WebSocket with the subprotocol ${GRAPH_SOCKET}`,
      );
    try {
      const results = await socketResults(socket, request, { name: backend.name, timeoutMs });
      return following(new Followed(results.texts, results.close, backend.name));
    } catch (error) {
      socket.close();
      if (error instanceof CutOff) throw unreadable(backend, error.message);
      throw failed(error, backend.name, plain.url, timeoutMs);
    }
  };
}

/** An answer that is no stream. */
async function whole(stream: BackendStream, name: string, url: string, timeoutMs: number): Promise<string> {
  let text = '';
  try {
    for await (const part of stream.texts) {
      text += part;
      if (text.length > LIMITS.shownBytes) throw new BackendFailure('unreadable', 'no stream, and too long');
    }
  } catch (error) {
    throw failed(error, name, url, timeoutMs);
  } finally {
    stream.close();
  }
  return text;
}

/** Results of a stream of events; ends where the backend completed it. Throws CutOff. */
async function* streamResults(stream: BackendStream, name: string): AsyncGenerator<Delivery> {
  let complete = false;
  let fed = 0;
  const found: Delivery[] = [];
  const parser = createParser({
    onEvent: (e) => {
      fed = 0;
      if (e.event === 'complete') complete = true;
      else if (e.event === 'next' && !complete) found.push(event(e.data, e.id));
    },
    onComment: () => {
      fed = 0;
    },
  });
  for await (const text of stream.texts) {
    fed += text.length;
    parser.feed(text);
    yield* found.splice(0);
    if (complete) return;
    if (fed > RESULT_CHARS) throw new CutOff(`${name} sent a result that is too long.`);
  }
  throw new CutOff(`${name} ended the stream without completing the subscription.`);
}
