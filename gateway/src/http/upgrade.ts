import { IncomingMessage, ServerResponse } from 'node:http';
import type { Socket } from 'node:net';

/**
 * A server may go on in HTTP/1.1 as if it had not been asked to change the protocol (RFC 9110 §7.8). Node hands such a request over without its body, so
 * that is read here: as long as it says it is. A body of unknown length is not; the caller gets to hear that as 411.
 */
export function withoutUpgrade(
  asked: IncomingMessage,
  socket: Socket,
  head: Buffer,
  take: (req: IncomingMessage, res: ServerResponse) => void,
): void {
  // The one that was handed over has ended already.
  const req = new IncomingMessage(socket);
  const { upgrade: _upgrade, ...headers } = asked.headers;
  const { method, url, httpVersion, httpVersionMajor, httpVersionMinor, rawHeaders } = asked;
  Object.assign(req, { method, url, httpVersion, httpVersionMajor, httpVersionMinor, rawHeaders, headers });
  const res = new ServerResponse(req);
  res.shouldKeepAlive = false;
  res.assignSocket(socket);
  res.once('finish', () => socket.end());
  socket.once('error', () => socket.destroy());
  if (headers['transfer-encoding'] !== undefined) {
    res.writeHead(411, { connection: 'close' }).end();
    return;
  }
  let left = Number(headers['content-length'] ?? 0);
  const feed = (chunk: Buffer) => {
    const own = chunk.subarray(0, left);
    left -= own.length;
    if (own.length) req.push(own);
    if (left > 0) return;
    socket.off('data', feed);
    req.complete = true;
    req.push(null);
  };
  socket.on('data', feed);
  socket.once('close', () => {
    if (!req.complete) req.destroy();
  });
  feed(head);
  take(req, res);
}
