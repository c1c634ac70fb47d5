import { announced, Body, joinField, LIMITS, queryValues, Refusal, type Incoming } from '@hinge/core';
import type { IncomingMessage } from 'node:http';
import { giveBack } from '../give-back';
import { certificateOf } from './certificate';
import type { Match } from './router';

/** Header fields as one text each (RFC 9110 §5.3); Node has joined repeated ones already, set-cookie apart. */
export function flatHeaders(req: IncomingMessage): Record<string, string> {
  if (req.headers['set-cookie'] === undefined) return req.headers as Record<string, string>;
  const out: Record<string, string> = {};
  for (const name in req.headers) {
    const v = req.headers[name];
    if (v !== undefined) out[name] = typeof v === 'string' ? v : joinField(name, v);
  }
  return out;
}

export function bodyOf(req: IncomingMessage, headers: Record<string, string>): Body {
  const length = headers['content-length'];
  if (headers['transfer-encoding'] === undefined && (length === undefined || length === '0')) return Body.empty();
  return Body.ofSource(() => readRequest(req), headers['content-type'], req, announced(headers));
}

const tooLarge = () => new Refusal('HNG-405', { detail: `The body may have at most ${LIMITS.requestBytes} bytes.` });

/** By its events: iterating a stream costs several times what reading a short body does. */
function readRequest(req: IncomingMessage): Promise<Uint8Array> {
  if (Number(req.headers['content-length'] ?? 0) > LIMITS.requestBytes) return Promise.reject(tooLarge());
  return new Promise((resolve, reject) => {
    let first: Buffer | undefined;
    let more: Buffer[] | undefined;
    let size = 0;
    const broken = (error?: Error) => reject(error ?? new Error('the request broke off before its body was here'));
    if (req.destroyed && !req.complete) broken(req.errored ?? undefined);
    req.on('data', (chunk: Buffer) => {
      size += chunk.length;
      if (size > LIMITS.requestBytes) {
        req.pause();
        req.removeAllListeners('data');
        reject(tooLarge());
      } else if (first) (more ??= [first]).push(chunk);
      else first = chunk;
    });
    req.on('end', () => {
      resolve(more ? Buffer.concat(more, size) : (first ?? EMPTY));
      more?.forEach(giveBack);
    });
    req.on('error', broken);
    req.on('aborted', broken);
  });
}

const EMPTY = new Uint8Array(0);

/** A request as the core takes it: what was read of it, where it leads, and what is known of the connection. */
export function incomingOf(
  req: IncomingMessage,
  match: Match,
  { method, url, search, headers, body }: Pick<Incoming, 'method' | 'url' | 'search' | 'headers' | 'body'>,
): Incoming {
  return {
    method,
    url,
    path: match.path,
    query: queryValues(search),
    search,
    rest: match.rest,
    headers,
    body,
    remote: req.socket.remoteAddress,
    secure: isSecure(req),
    certificate: certificateOf(req.socket),
  };
}

export const isSecure = (req: IncomingMessage): boolean => (req.socket as { encrypted?: boolean }).encrypted === true;
