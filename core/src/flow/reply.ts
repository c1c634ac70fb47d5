import { writeJson } from '../codec/json';
import { Body } from '../message/body';
import { withFields } from '../message/headers';
import type { Message } from '../message/message';
import { problemOf, Refusal } from '../problem';
import type { Run } from './run';

/** A final status (RFC 9110 §15); 101 begins a stream at an events door. */
export function demandStatus({ status, body }: Message): void {
  if (Number.isInteger(status) && status! >= 200 && status! <= 599) return;
  if (status === 101 && body.pending) return;
  throw new Refusal('HNG-428', {
    detail: 'The flow made a status that no reply can have. The trace says which.',
    inner: `the status is ${String(status)}; a reply has one from 200 to 599`,
  });
}

/** The reply with the header fields that the run gathered on its way; what a refusal says itself stands. */
export function marked(reply: Message, run: Run, refused = false): Message {
  const more = run.replyHeaders;
  for (const _name in more) {
    const headers = refused ? withFields(more, reply.headers) : withFields(reply.headers, more);
    if (more.vary !== undefined && reply.headers.vary !== undefined)
      headers.vary = `${reply.headers.vary}, ${more.vary}`;
    const { status, body, format, soapHeader } = reply;
    return { status, headers, body, format, soapHeader };
  }
  return reply;
}

/** A refusal as a message (RFC 9457). */
export function refusalMessage(refusal: Refusal, instance: string, traceId: string): Message {
  if (refusal.options.reply) return refusal.options.reply;
  const problem = problemOf(refusal, instance, traceId);
  const headers: Record<string, string> = { ...refusal.options.headers, 'content-type': 'application/problem+json' };
  return {
    status: refusal.status,
    headers,
    body: Body.ofText(writeJson(problem), 'application/problem+json'),
    format: 'problem',
  };
}
