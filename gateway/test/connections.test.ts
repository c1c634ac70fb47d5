import { afterEach, expect, test } from '@jest/globals';
import { Body, type BackendFailure, type BackendReply, type BackendRequest } from '@hinge/core';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { createServer, type Socket } from 'node:net';
import { HttpBackends } from '../src/backends';
import { Connections } from '../src/connections';
import { GATEWAY_LIMITS } from '../src/limits';
import { eventually, listen } from './world';

const MOST = GATEWAY_LIMITS.connectionsPerBackend;
const stops: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const stop of stops.splice(0).reverse()) await stop();
});

/** A backend, the paths that reached it, and how many connections it has had at once and in all. */
async function backend(answer: (req: IncomingMessage, res: ServerResponse) => void) {
  const seen: string[] = [];
  const sockets = { now: 0, most: 0, all: 0 };
  const at = await listen((req, res) => {
    seen.push(req.url!);
    answer(req, res);
  });
  at.server.on('connection', (socket: Socket) => {
    sockets.all++;
    sockets.most = Math.max(sockets.most, ++sockets.now);
    socket.on('close', () => sockets.now--);
  });
  const backends = new HttpBackends();
  stops.push(
    () => at.stop(),
    () => backends.close(),
  );
  const call = (path: string, timeoutMs = 5_000): Promise<BackendReply> =>
    backends.send(request(at.url + path, timeoutMs));
  const text = async (path: string, timeoutMs?: number) => {
    const reply = await call(path, timeoutMs);
    await reply.body.load();
    return reply.body.text();
  };
  return { ...at, seen, sockets, call, text, backends };
}

const request = (url: string, timeoutMs = 1_000, headers: Record<string, string> = {}): BackendRequest => ({
  backend: 'quay',
  method: 'GET',
  url,
  headers,
  body: Body.empty(),
  timeoutMs,
});

const reason = (answer: Promise<unknown>) =>
  answer.then(
    () => 'answered',
    (e: BackendFailure) => e.kind,
  );

test('one after the other take one connection', async () => {
  const b = await backend((_req, res) => res.end('tide'));
  for (let i = 0; i < 20; i++) expect(await b.text(`/${i}`)).toBe('tide');
  expect(b.sockets.all).toBe(1);
});

test('more at once than there are connections wait in line, in their order, and all are answered', async () => {
  const held: ServerResponse[] = [];
  const b = await backend((_req, res) => void held.push(res));
  const all = Array.from({ length: MOST * 2 + 7 }, (_, i) => b.text(`/${i}`));
  await eventually('all connections are in use', () => held.length === MOST);
  // Nothing more comes before one is free.
  await new Promise((r) => setTimeout(r, 50));
  expect(held).toHaveLength(MOST);
  let next = 0;
  while (next < all.length) {
    await eventually('another', () => held.length > next);
    held[next++]!.end(`answer ${next}`);
  }
  expect(new Set(await Promise.all(all)).size).toBe(all.length);
  expect(b.sockets.most).toBe(MOST);
  expect(b.sockets.all).toBe(MOST);
  // Those that waited were called in their order; those that went out at once came in any.
  const later = b.seen.slice(MOST).map((p) => Number(p.slice(1)));
  expect(later).toEqual(later.map((_, i) => MOST + i));
});

test('who waits in line for too long is told, and the backend never hears of it', async () => {
  const held: ServerResponse[] = [];
  const b = await backend((req, res) => (req.url === '/held' ? void held.push(res) : void res.end('tide')));
  const first = Array.from({ length: MOST }, () => b.text('/held', 10_000));
  await eventually('all connections are in use', () => held.length === MOST);
  const late = await reason(b.call('/late', 60));
  expect(late).toBe('timeout');
  for (const res of held) res.end('held');
  await Promise.all(first);
  expect(await b.text('/after')).toBe('tide');
  expect(b.seen).not.toContain('/late');
});

test('a connection that failed is not used for the next call; there are as many as before', async () => {
  const b = await backend((req, res) => {
    if (req.url === '/cut') req.socket.destroy();
    else if (req.url === '/close') res.writeHead(200, { connection: 'close' }).end('tide');
    else if (req.url === '/silent') return;
    else res.end('tide');
  });
  for (let i = 0; i < MOST + 5; i++) {
    expect(await reason(b.call('/cut'))).toBe('unreachable');
    if (i % 40 === 0) expect(await reason(b.call('/silent', 30))).toBe('timeout');
    if (i % 40 === 1) expect(await b.text('/close')).toBe('tide');
    if (i % 20 === 2) expect(await b.text('/well')).toBe('tide');
  }
  const together = Array.from({ length: MOST }, (_, i) => b.text(`/${i}`));
  expect(new Set(await Promise.all(together))).toEqual(new Set(['tide']));
  await eventually('those that failed have closed', () => b.sockets.now <= MOST);
});

test('nobody there at first: each is told, and once somebody is there all goes well', async () => {
  const b = await backend((_req, res) => res.end('tide'));
  const { port } = new URL(b.url);
  await b.stop();
  expect(await Promise.all(Array.from({ length: MOST + 20 }, () => reason(b.call('/'))))).toEqual(
    Array.from({ length: MOST + 20 }, () => 'unreachable'),
  );
  const again = createServer((socket) => {
    socket.once('data', () => socket.end('HTTP/1.1 200 OK\r\ncontent-length: 4\r\nconnection: close\r\n\r\nback'));
    socket.on('error', () => {});
  });
  await new Promise<void>((resolve) => again.listen(Number(port), '127.0.0.1', resolve));
  stops.push(() => new Promise((resolve) => again.close(resolve)));
  expect(await Promise.all(Array.from({ length: 10 }, () => b.text('/')))).toEqual(
    Array.from({ length: 10 }, () => 'back'),
  );
});

test('an answer that nobody reads to its end frees its connection when its time is up', async () => {
  const b = await backend((_req, res) => {
    res.writeHead(200, { 'content-length': 1_000_000 });
    res.write('x'.repeat(1000));
  });
  const half = await b.call('/', 80);
  expect(half.status).toBe(200);
  await eventually('the connection is closed', () => b.sockets.now === 0, 1_000);
  // And none was opened for nobody.
  expect(b.sockets.all).toBe(1);
  expect((await b.call('/', 500)).status).toBe(200);
});

test('a call that no request can be made of is told, and keeps no connection', async () => {
  const b = await backend((_req, res) => res.end('tide'));
  for (let i = 0; i < MOST + 1; i++)
    expect(await reason(b.backends.send(request(`${b.url}/`, 1_000, { 'x-berth': 'N-07\r\nx-forged: 1' })))).toBe(
      'unreachable',
    );
  expect(await b.text('/')).toBe('tide');
  expect(b.seen).toEqual(['/']);
});

test('closing ends what is on its way and what waits in line; nothing begins after it', async () => {
  const b = await backend(() => {});
  const all = Array.from({ length: MOST + 5 }, () => reason(b.call('/')));
  await eventually('all connections are in use', () => b.seen.length === MOST);
  await b.backends.close();
  expect(new Set(await Promise.all(all))).toEqual(new Set(['unreachable']));
  expect(await reason(b.call('/'))).toBe('unreachable');
  expect(b.seen).toHaveLength(MOST);
});

test('origins are bounded: those that nobody calls are forgotten', async () => {
  const made = new Connections();
  stops.push(() => made.destroy());
  // Nobody listens on port 1 of any address of the loopback network.
  const backends = new HttpBackends(made);
  stops.push(() => backends.close());
  for (let i = 0; i < GATEWAY_LIMITS.backendOrigins * 2 + 3; i++) {
    const url = `http://127.0.${Math.floor(i / 250)}.${(i % 250) + 1}:1/`;
    expect(await reason(backends.send(request(url)))).toBe('unreachable');
  }
  expect(made.size).toBeLessThanOrEqual(GATEWAY_LIMITS.backendOrigins);
});
