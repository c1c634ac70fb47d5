import { JsonError } from '../codec/json';
import type { Body } from '../message/body';
import type { Message } from '../message/message';
import { Refusal } from '../problem';

/** Which backend sent a body, for telling whose fault it is that it cannot be read. */
const senders = new WeakMap<Body, string>();

export const sentBy = (body: Body, backend: string): void => void senders.set(body, backend);

/**
 * The value of a message's body, which must be loaded. What cannot be read is refused: with 400 and the place where a caller sent it, with 502 where a
 * backend did.
 */
export function bodyValue(m: Message): unknown {
  try {
    return m.body.value();
  } catch (error) {
    throw unreadableBody(m, error);
  }
}

/** The same for what a reader of another form threw. */
export function unreadableBody(m: Message, error: unknown): unknown {
  if (error instanceof Refusal) return error;
  const at = error instanceof JsonError ? ` at character ${error.position + 1}` : '';
  const words = `${(error as Error).message}${at}`;
  const backend = senders.get(m.body);
  if (backend !== undefined)
    return new Refusal('HNG-504', {
      backend,
      detail: `The answer of ${backend} cannot be read.`,
      inner: `status ${m.status}, ${m.body.mediaType ?? 'no content type'}: ${words}`,
      cause: error,
    });
  // What a flow made itself is nobody else's fault.
  if (m.status !== undefined) return error;
  return new Refusal('HNG-403', {
    detail: error instanceof JsonError ? `The body is not JSON: ${words}.` : `The body cannot be read: ${words}.`,
    errors: [{ pointer: '', code: error instanceof JsonError ? 'json' : 'syntax', detail: words }],
    cause: error,
  });
}
