import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { FlowDocument } from '@hinge/core';
import fc from 'fast-check';
import { connect } from 'node:net';
import { Agent, request as httpRequest } from 'node:http';
import { startGateway, type RunningGateway } from '../src';
import { raw, statusOf } from './raw';
import { eventually, listen } from './world';

const SEED = 20261202;
let backend: Awaited<ReturnType<typeof listen>>;
let gateway: RunningGateway;
const uncaught: unknown[] = [];
const keep = (error: unknown): void => void uncaught.push(error);

const document = (): FlowDocument => ({
  hinge: 1,
  api: { name: 'Quay', version: '1' },
  doors: [{ name: 'public', path: '/q' }],
  backends: { inner: { address: backend.url } },
  operations: {
    any: { method: 'ANY', path: '/*', flow: [{ kind: 'call', backend: 'inner' }] },
    read: { method: 'POST', path: '/read', flow: [{ kind: 'reply', from: 'body' }] },
  },
});
const start = () =>
  startGateway({ port: 0, controlPort: 0, config: { revision: 'r', apis: [{ slug: 'q', document: document() }] } });

beforeAll(async () => {
  process.on('uncaughtException', keep);
  backend = await listen((req, res) => {
    req.resume();
    req.on('end', () => setTimeout(() => res.end(`got ${req.url}`), req.url!.includes('slow') ? 150 : 0));
  });
  gateway = await start();
});
afterAll(async () => {
  await gateway.stop();
  await backend.stop();
  process.off('uncaughtException', keep);
});

const inFlight = async (): Promise<number> => {
  const text = await (await fetch(`http://127.0.0.1:${gateway.controlPort}/metrics`)).text();
  return Number(/^hinge_requests_in_flight(?:\{[^}]*\})? (\d+)/m.exec(text)?.[1]);
};

const GET = 'GET /q/x HTTP/1.1\r\nhost: h\r\n\r\n';
const SLOW = 'GET /q/slow HTTP/1.1\r\nhost: h\r\n\r\n';
const upgrade = (to: string, more = ''): string =>
  `GET /q/up HTTP/1.1\r\nhost: h\r\nconnection: Upgrade\r\nupgrade: ${to}\r\n${more}\r\n`;
const HALF = `POST /q/read HTTP/1.1\r\nhost: h\r\ncontent-type: application/json\r\ncontent-length: 1000\r\n`;

describe('nothing that a connection does harms the others', () => {
  test.each(['h2c', 'websocket', 'TLS/1.0', 'x'])(
    'a request to change to %s behind another one is answered in its turn',
    async (to) => {
      const text = await raw(gateway.port, [SLOW + upgrade(to)]);
      expect(text.match(/got \/(slow|up)/g)).toEqual(['got /slow', 'got /up']);
      expect(uncaught).toEqual([]);
    },
  );

  test('uploads that are broken off, with and without an upgrade, leave nothing in flight', async () => {
    for (let n = 0; n < 600; n++) {
      const socket = connect(gateway.port, '127.0.0.1');
      socket.on('error', () => undefined);
      socket.write(`${HALF}${n % 2 ? 'connection: Upgrade\r\nupgrade: h2c\r\n' : ''}\r\n{"a":`);
      setTimeout(() => (n % 3 ? socket.destroy() : socket.resetAndDestroy()), 5);
      if (n % 50 === 49) await new Promise((r) => setTimeout(r, 20));
    }
    await eventually('nothing is in flight', async () => (await inFlight()) === 0);
    expect(statusOf(await raw(gateway.port, GET))).toBe(200);
  });

  test('after two thousand generated scripts the gateway answers, and nothing is in flight', async () => {
    const piece = fc.constantFrom(
      GET,
      SLOW,
      upgrade('h2c'),
      upgrade('websocket'),
      upgrade('h2c', 'content-length: 5\r\n'),
      `${HALF}\r\n`,
      '{"a":1}',
      '\r\n',
      '\0',
      'GET',
      ' /q/x HTTP/1.1\r\n',
      'host: h\r\n',
      'HEAD /q/x HTTP/1.1\r\nhost: h\r\n\r\n',
      'CONNECT h:1 HTTP/1.1\r\nhost: h\r\n\r\n',
      'OPTIONS * HTTP/1.1\r\nhost: h\r\n\r\n',
      'POST /q/x HTTP/1.1\r\nhost: h\r\ntransfer-encoding: chunked\r\n\r\n',
      '5\r\nhello\r\n',
      '0\r\n\r\n',
      'ffffffffffffffffff\r\n',
      'POST /q/x HTTP/1.1\r\nhost: h\r\nexpect: 100-continue\r\ncontent-length: 3\r\n\r\n',
      'abc',
      'GET http://@h/ HTTP/1.1\r\nhost: h\r\n\r\n',
      'GET /q/x HTTP/1.0\r\n\r\n',
      'PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n',
      'GET /q/x HTTP/1.1\r\nhost: h\r\nhost: i\r\n\r\n',
      'GET /q/x HTTP/1.1\r\nhost: h\r\nconnection: close\r\n\r\n',
    );
    const script = fc.tuple(
      fc.array(piece, { minLength: 1, maxLength: 6 }),
      fc.constantFrom('end', 'destroy', 'reset', 'linger'),
    );
    const play = ([parts, end]: [string[], string]): Promise<void> =>
      new Promise((resolve) => {
        const socket = connect(gateway.port, '127.0.0.1');
        socket.on('error', () => undefined);
        socket.on('data', () => undefined);
        socket.once('close', () => resolve());
        for (const p of parts) socket.write(p, 'latin1');
        const stop = (): void => {
          if (end === 'end') socket.end();
          else if (end === 'reset') socket.resetAndDestroy();
          else socket.destroy();
        };
        setTimeout(stop, end === 'linger' ? 60 : 4);
        setTimeout(() => socket.destroy(), 300);
      });
    const scripts = fc.sample(script, { seed: SEED, numRuns: 2000 });
    for (let i = 0; i < scripts.length; i += 100)
      await Promise.all(scripts.slice(i, i + 100).map((s) => play(s as [string[], string])));
    await eventually('nothing is in flight', async () => (await inFlight()) === 0);
    expect(statusOf(await raw(gateway.port, GET))).toBe(200);
    expect(uncaught).toEqual([]);
  }, 60_000);

  test('more than a thousand header fields are 431, not fewer fields', async () => {
    const fields = (n: number) => Array.from({ length: n }, (_, i) => `x${i}: 1\r\n`).join('');
    expect(statusOf(await raw(gateway.port, `GET /q/x HTTP/1.1\r\nhost: h\r\n${fields(1100)}\r\n`))).toBe(431);
    expect(statusOf(await raw(gateway.port, `GET /q/x HTTP/1.1\r\nhost: h\r\n${fields(900)}\r\n`))).toBe(200);
  });
});

test('SIGTERM under load: kept-alive connections lose no request', async () => {
  const going = await start();
  const agent = new Agent({ keepAlive: true, maxSockets: 30 });
  let stopped = false;
  const results = { ok: 0, lost: [] as string[], refused: 0 };
  const one = (): Promise<boolean> =>
    new Promise((resolve) => {
      const req = httpRequest({ port: going.port, host: '127.0.0.1', path: '/q/x', agent }, (res) => {
        res.resume();
        res.on('end', () => {
          results.ok++;
          resolve(res.headers.connection !== 'close');
        });
      });
      req.on('error', (e: NodeJS.ErrnoException) => {
        // A connection of its own that is not taken any more was never accepted.
        if (e.code === 'ECONNREFUSED') results.refused++;
        else results.lost.push(String(e.code));
        resolve(false);
      });
      req.end();
    });
  const worker = async (n: number): Promise<void> => {
    while (await one()) {
      if (stopped) await new Promise((r) => setTimeout(r, n * 20));
    }
  };
  const workers = Array.from({ length: 30 }, (_, n) => worker(n));
  await new Promise((r) => setTimeout(r, 300));
  stopped = true;
  const began = performance.now();
  await going.stop();
  await Promise.all(workers);
  agent.destroy();
  expect(results.lost).toEqual([]);
  expect(results.ok).toBeGreaterThan(30);
  expect(performance.now() - began).toBeLessThan(9_000);
}, 30_000);

test('what does not end is cut off when the time is up, and told', async () => {
  const words: string[] = [];
  const going = await startGateway({
    port: 0,
    config: { revision: 'r', apis: [{ slug: 'q', document: document() }] },
    log: (m) => words.push(m),
  });
  const stuck = connect(going.port, '127.0.0.1');
  stuck.on('error', () => undefined);
  stuck.write(`${HALF}\r\n{"a":`);
  await new Promise((r) => setTimeout(r, 100));
  const began = performance.now();
  await going.stop();
  expect(performance.now() - began).toBeLessThan(14_000);
  expect(words.join('\n')).toContain('cut off after 10 s: 1 requests, 0 sockets');
}, 30_000);
