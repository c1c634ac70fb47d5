import { Body, joinField, LIMITS, Refusal, type Incoming } from '@hinge/core';
import type { IncomingMessage } from 'node:http';
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
  return Body.ofSource(() => readRequest(req), headers['content-type'], req);
}

async function readRequest(req: IncomingMessage): Promise<Uint8Array> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  const tooLarge = () => new Refusal('HNG-405', { detail: `The body may have at most ${LIMITS.requestBytes} bytes.` });
  if (Number(req.headers['content-length'] ?? 0) > LIMITS.requestBytes) throw tooLarge();
  for await (const chunk of req as AsyncIterable<Uint8Array>) {
    size += chunk.length;
    if (size > LIMITS.requestBytes) throw tooLarge();
    chunks.push(chunk);
  }
  return chunks.length === 1 ? chunks[0]! : Buffer.concat(chunks, size);
}

function queryOf(search: string): Record<string, string | string[]> {
  const out: Record<string, string | string[]> = {};
  if (search.length < 2) return out;
  for (const [name, value] of new URLSearchParams(search)) {
    const have = out[name];
    if (have === undefined) out[name] = value;
    else if (Array.isArray(have)) have.push(value);
    else out[name] = [have, value];
  }
  return out;
}

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
    query: queryOf(search),
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
