import { endToEndList, Refusal, Stream, type Message } from '@hinge/core';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { Readable } from 'node:stream';
import { ReplySource } from '../reply-source';
import type { TraceContext } from '../telemetry/trace-context';
import type { Match } from './router';
import { KEEP_ALIVE, writeShort } from './short-reply';

const LINGER_MS = 500;

/** Head and body up to this many bytes go out as one text, by one call into the system; Node copies longer ones first. */
const ONE_WRITE = 14 * 1024;

/** Writes a reply to the wire; a body that nobody read goes through as a stream. `extra` is a list of names and values. */
export function write(req: IncomingMessage, res: ServerResponse, reply: Message, extra: readonly string[]): void {
  const headers = endToEndList(reply.headers, extra);
  const { body } = reply;
  const status = reply.status ?? 500;
  if (body.pending) {
    const whole =
      body.stream instanceof ReplySource && req.method !== 'HEAD' ? body.stream.whole(ONE_WRITE) : undefined;
    const length = whole ? whole.length : body.announced;
    if (length !== undefined && status !== 204 && status !== 304) headers.push('content-length', String(length));
    if (whole) {
      end(req, res, status, headers, whole);
      return;
    }
    writeHead(res, status, headers);
    if (body.stream instanceof ReplySource) {
      if (req.method === 'HEAD') {
        body.stream.drop();
        res.end();
      } else body.stream.pipe(res);
      return;
    }
    if (body.stream instanceof Stream && req.method === 'HEAD') {
      body.stream.close();
      res.end();
      return;
    }
    const stream = body.stream instanceof Stream ? readableOf(body.stream, req) : (body.stream as Readable);
    stream.once('error', () => res.destroy());
    res.once('close', () => stream.destroy());
    stream.pipe(res);
    return;
  }
  const content = body.hasText ? body.text() : body.bytes();
  const length = typeof content === 'string' ? Buffer.byteLength(content) : content.length;
  if (status !== 204 && status !== 304) headers.push('content-length', String(length));
  // Answered before the request was read to its end: the connection cannot be used again. It stays for a moment, so
  // that the caller gets the reply before it learns that nobody reads on (RFC 9112 §9.6).
  const socket = req.socket as typeof req.socket | null;
  const early =
    !req.complete && (req.headers['content-length'] !== undefined || req.headers['transfer-encoding'] !== undefined);
  if (!early && length <= ONE_WRITE && typeof content !== 'string') {
    end(req, res, status, headers, content);
    return;
  }
  // As many bytes as characters: nothing but ASCII, which is the same in both and written faster.
  if (!early && length === content.length && typeof content === 'string') {
    end(req, res, status, headers, content);
    return;
  }
  if (early) headers.push('connection', 'close');
  writeHead(res, status, headers);
  const then = early ? () => setTimeout(() => socket?.destroy(), LINGER_MS).unref() : undefined;
  if (req.method === 'HEAD') res.end(undefined, then);
  else res.end(content, then);
}

/** By Node, which does not know how long a connection is kept. */
function writeHead(res: ServerResponse, status: number, headers: string[]): void {
  const goesOn = res.shouldKeepAlive && !res.hasHeader('connection') && !headers.includes('connection');
  if (goesOn) headers.push('keep-alive', KEEP_ALIVE);
  res.writeHead(status, headers);
}

/** All of a reply, its body as bytes or with a character for each. */
function end(
  req: IncomingMessage,
  res: ServerResponse,
  status: number,
  headers: string[],
  body: string | Uint8Array,
): void {
  if (writeShort(req, res, status, headers, body)) return;
  writeHead(res, status, headers);
  if (req.method === 'HEAD') res.end();
  else if (typeof body === 'string') res.end(body, 'latin1');
  else res.end(body);
}

/** Events as they come, until the connection goes. */
function readableOf(events: Stream, req: IncomingMessage): Readable {
  // Waiting for the next event would hold the connection's end up; a caller may be gone before there is a stream at all.
  if (req.socket.destroyed) events.close();
  else req.socket.once('close', () => events.close());
  req.socket.setNoDelay(true);
  return Readable.from(events, { objectMode: false, highWaterMark: 64 * 1024 });
}

/** Server-Timing (W3C) tells backend and gateway apart, and which release answered; traceresponse is the W3C draft. */
export function replyHeaders(match: Match, trace: TraceContext, ms: number, backendMs: number): string[] {
  const { config } = match.route.api;
  const release = config.release === undefined ? '' : `, release;desc="${config.slug} ${config.release}"`;
  const timing = `gateway;dur=${tenths(Math.max(0, ms - backendMs))}, backend;dur=${tenths(backendMs)}${release}`;
  return ['server-timing', timing, 'traceresponse', trace.traceparent];
}

/** One digit behind the point, written as two whole numbers: those are quicker than fractions. */
function tenths(ms: number): string {
  const n = Math.round(ms * 10);
  const whole = Math.floor(n / 10);
  return n === whole * 10 ? String(whole) : `${whole}.${n - whole * 10}`;
}

/** Why a request came to no operation. `allowed`: methods that are offered at its path. */
export function whyNot(method: string | undefined, allowed: readonly string[], busy: boolean): Refusal {
  if (busy)
    return new Refusal('HNG-407', {
      detail: 'The gateway has more requests than it can take.',
      headers: { 'retry-after': '1' },
    });
  if (allowed.length)
    return new Refusal('HNG-402', {
      detail: `${method} is not offered here; ${allowed.join(', ')} is.`,
      headers: { allow: allowed.join(', ') },
    });
  return new Refusal('HNG-401', { detail: 'No operation of any API here has this path.' });
}
