import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { draftProxy } from '@hinge/core';
import fc from 'fast-check';
import { createServer, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { startGateway, type RunningGateway } from '../src';

/** Replies that HTTP does not allow: 502, whoever asks, and the gateway goes on (RFC 9110 §15, RFC 9112 §6.3). */

let backend: Server;
let gateway: RunningGateway;
const sockets = new Set<Socket>();
let next = '';
beforeAll(async () => {
  backend = createServer((socket) => {
    sockets.add(socket);
    socket.on('error', () => undefined);
    socket.once('close', () => sockets.delete(socket));
    socket.on('data', (d) => {
      if (!d.includes('\r\n\r\n')) return;
      socket.write(next, 'latin1');
      if (!next.includes('keep-alive')) socket.end();
    });
  });
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve));
  const address = `http://127.0.0.1:${(backend.address() as AddressInfo).port}`;
  gateway = await startGateway({
    port: 0,
    config: { revision: 'test', apis: [{ slug: 'p', document: draftProxy(address, { name: 'P', base: '/p' }) }] },
  });
}, 30_000);
afterAll(async () => {
  await gateway.stop();
  for (const s of sockets) s.destroy();
  backend.close();
});

async function ask(reply: string): Promise<number> {
  next = reply;
  const r = await fetch(`http://127.0.0.1:${gateway.port}/p/x`, { signal: AbortSignal.timeout(5000) });
  await r.text().catch(() => undefined);
  return r.status;
}

describe('a reply that HTTP does not have is 502', () => {
  test.each([
    ['status 000', 'HTTP/1.1 000 None\r\ncontent-length: 0\r\n\r\n'],
    ['status 099', 'HTTP/1.1 099 Low\r\ncontent-length: 0\r\n\r\n'],
    ['status 600', 'HTTP/1.1 600 High\r\ncontent-length: 2\r\n\r\nhi'],
    ['status 999', 'HTTP/1.1 999 High\r\ncontent-length: 0\r\n\r\n'],
    ['status 1000', 'HTTP/1.1 1000 High\r\ncontent-length: 0\r\n\r\n'],
    ['status in letters', 'HTTP/1.1 abc Odd\r\ncontent-length: 0\r\n\r\n'],
    ['two lengths that differ', 'HTTP/1.1 200 OK\r\ncontent-length: 2\r\ncontent-length: 3\r\n\r\nhi!'],
    ['two lengths alike', 'HTTP/1.1 200 OK\r\ncontent-length: 2\r\ncontent-length: 2\r\n\r\nhi'],
    [
      'length and chunks',
      'HTTP/1.1 200 OK\r\ncontent-length: 2\r\ntransfer-encoding: chunked\r\n\r\n2\r\nhi\r\n0\r\n\r\n',
    ],
    [
      'chunks and length',
      'HTTP/1.1 200 OK\r\ntransfer-encoding: chunked\r\ncontent-length: 2\r\n\r\n2\r\nhi\r\n0\r\n\r\n',
    ],
    ['a length below nothing', 'HTTP/1.1 200 OK\r\ncontent-length: -1\r\n\r\nhi'],
    ['a length in letters', 'HTTP/1.1 200 OK\r\ncontent-length: two\r\n\r\nhi'],
    ['a length of a list', 'HTTP/1.1 200 OK\r\ncontent-length: 2, 2\r\n\r\nhi'],
    ['a field without a name', 'HTTP/1.1 200 OK\r\n: x\r\ncontent-length: 2\r\n\r\nhi'],
    ['a switch that nobody asked for', 'HTTP/1.1 101 Switching Protocols\r\nupgrade: x\r\nconnection: upgrade\r\n\r\n'],
    ['no HTTP', 'SSH-2.0-OpenSSH\r\n\r\n'],
    ['another major version', 'HTTP/3.0 200 OK\r\ncontent-length: 2\r\n\r\nhi'],
    ['a NUL in a field', 'HTTP/1.1 200 OK\r\nx: a\0b\r\ncontent-length: 2\r\n\r\nhi'],
  ])('%s', async (_name, reply) => {
    expect(await ask(reply)).toBe(502);
    // The next one is answered.
    expect(await ask('HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nhi')).toBe(200);
  });

  test.each([
    [
      'hints before it',
      'HTTP/1.1 103 Early Hints\r\nlink: </a>\r\n\r\nHTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nhi',
      200,
    ],
    ['no reason phrase', 'HTTP/1.1 200\r\ncontent-length: 2\r\n\r\nhi', 200],
    ['no length: until the end', 'HTTP/1.1 200 OK\r\n\r\nhi', 200],
    ['a status of its own within 599', 'HTTP/1.1 599 Odd\r\ncontent-length: 0\r\n\r\n', 599],
    ['HTTP/1.0', 'HTTP/1.0 200 OK\r\n\r\nhi', 200],
  ])('%s is a reply', async (_name, reply, status) => expect(await ask(reply)).toBe(status));

  test('whatever a backend writes, the caller gets a reply and the next caller too', async () => {
    const line = fc.constantFrom('HTTP/1.1 ', 'HTTP/1.0 ', 'HTTP/2 ', 'http/1.1 ', '');
    const field = fc.constantFrom(
      'content-length: 1',
      'content-length: 0',
      'content-length: 99999999999999999999',
      'transfer-encoding: chunked',
      'transfer-encoding: gzip, chunked',
      'transfer-encoding: x',
      'connection: upgrade',
      'connection: keep-alive',
      'upgrade: websocket',
      'set-cookie: a=b\rc',
      'bad name: x',
      'x',
    );
    const status = fc.oneof(fc.integer({ min: 0, max: 1200 }).map(String), fc.constantFrom('', '2', '20x', '-1'));
    await fc.assert(
      fc.asyncProperty(
        line,
        status,
        fc.array(field, { maxLength: 4 }),
        fc.string({ maxLength: 8 }),
        async (l, s, f, b) => {
          const got = await ask(`${l}${s} X\r\n${f.map((x) => `${x}\r\n`).join('')}\r\n${b}`);
          expect(got === 502 || got === 503 || got === Number(s)).toBe(true);
          expect(await ask('HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nhi')).toBe(200);
        },
      ),
      { seed: 7, numRuns: 150 },
    );
  }, 60_000);
});
