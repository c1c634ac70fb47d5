import {
  announced,
  Body,
  isAuthority,
  joinField,
  LIMITS,
  queryValues,
  readTarget,
  Refusal,
  TargetError,
  type Incoming,
  type Target,
} from '@hinge/core';
import type { IncomingMessage } from 'node:http';
import { giveBack } from '../give-back';
import { GATEWAY_LIMITS } from '../limits';
import { certificateOf } from './certificate';
import type { Origin } from './forwarded';
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
  { remote, secure }: Origin,
  { method, url, search, headers, body }: Pick<Incoming, 'method' | 'url' | 'search' | 'headers' | 'body'>,
): Incoming {
  return {
    method,
    url,
    path: match.path,
    query: queryValues(search),
    search,
    rest: match.rest,
    below: match.below,
    headers,
    body,
    remote,
    secure,
    certificate: certificateOf(req.socket),
  };
}

/** What a request is for: its target, read once, and the host that it names. */
export interface Asked {
  readonly target: Target;
  /** Of the target where it names one, else of the field Host (RFC 9112 §3.2.2). */
  readonly host: string | undefined;
}

/** Throws a Refusal with 400 for a target or a host that cannot be taken. */
export function askedOf(req: IncomingMessage): Asked {
  if (req.rawHeaders.length > 2 * GATEWAY_LIMITS.headerFields)
    throw new Refusal('HNG-430', {
      detail: `A request may have at most ${GATEWAY_LIMITS.headerFields} header fields.`,
    });
  let target: Target;
  try {
    target = readTarget(req.url ?? '/');
  } catch (error) {
    if (!(error instanceof TargetError)) throw error;
    throw new Refusal('HNG-409', { detail: error.message, cause: error });
  }
  const { host } = req.headers;
  if (host !== undefined && host !== lastHost) {
    if (host !== '' && !isAuthority(host)) throw new Refusal('HNG-409', { detail: 'The field Host names no host.' });
    lastHost = host;
  }
  if (hasTwoHosts(req.rawHeaders))
    throw new Refusal('HNG-409', { detail: 'The request has several fields Host (RFC 9112 §3.2).' });
  return { target, host: target.authority ?? host };
}

/** Nearly all requests name the same one. */
let lastHost: string | undefined;

function hasTwoHosts(raw: readonly string[]): boolean {
  let seen = false;
  for (let i = 0; i < raw.length; i += 2) {
    const name = raw[i]!;
    if (name.length !== 4 || name.toLowerCase() !== 'host') continue;
    if (seen) return true;
    seen = true;
  }
  return false;
}
