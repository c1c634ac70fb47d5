import { endToEnd, EventStream, type Message } from '@hinge/core';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { Readable } from 'node:stream';
import { ReplySource } from '../reply-source';

const LINGER_MS = 500;

/** Writes a reply to the wire; a body that nobody read goes through as a stream. */
export function write(req: IncomingMessage, res: ServerResponse, reply: Message, extra: Record<string, string>): void {
  const headers: Record<string, string | number> = { ...endToEnd(reply.headers), ...extra };
  const { body } = reply;
  if (body.pending) {
    const length = reply.headers['content-length'];
    if (length !== undefined) headers['content-length'] = length;
    res.writeHead(reply.status ?? 500, headers);
    if (body.stream instanceof ReplySource) {
      if (req.method === 'HEAD') {
        body.stream.drop();
        res.end();
      } else body.stream.pipe(res);
      return;
    }
    if (body.stream instanceof EventStream && req.method === 'HEAD') {
      body.stream.close();
      res.end();
      return;
    }
    const stream = body.stream instanceof EventStream ? readableOf(body.stream, req) : (body.stream as Readable);
    stream.once('error', () => res.destroy());
    res.once('close', () => stream.destroy());
    stream.pipe(res);
    return;
  }
  // Text goes out in one piece with the head; bytes would be a second write.
  const content = body.hasText ? body.text() : body.bytes();
  const length = typeof content === 'string' ? Buffer.byteLength(content) : content.length;
  if (reply.status !== 204 && reply.status !== 304) headers['content-length'] = length;
  // Answered before the request was read to its end: the connection cannot be used again. It stays for a moment, so
  // that the caller gets the reply before it learns that nobody reads on (RFC 9112 §9.6).
  const socket = req.socket as typeof req.socket | null;
  const early =
    !req.complete && (req.headers['content-length'] !== undefined || req.headers['transfer-encoding'] !== undefined);
  if (early) headers.connection = 'close';
  res.writeHead(reply.status ?? 500, headers);
  res.end(
    req.method === 'HEAD' ? undefined : content,
    early ? () => setTimeout(() => socket?.destroy(), LINGER_MS).unref() : undefined,
  );
}

/** Events as they come, until the connection goes. */
function readableOf(events: EventStream, req: IncomingMessage): Readable {
  // Waiting for the next event would hold the connection's end up.
  req.socket.once('close', () => events.close());
  req.socket.setNoDelay(true);
  return Readable.from(events, { objectMode: false, highWaterMark: 64 * 1024 });
}
