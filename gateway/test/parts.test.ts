import { afterEach, describe, expect, jest, test } from '@jest/globals';
import type { BackendFailure } from '@hinge/core';
import { Body, compileApi, type FlowDocument, type OperationDocument } from '@hinge/core';
import { mkdtemp, readdir, writeFile } from 'node:fs/promises';
import { createServer as createTcp, type Server } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { GATEWAY_LIMITS, HttpBackends } from '../src';
import type { LoadedApi } from '../src/config';
import { LastGood } from '../src/feed/last-good';
import { Router } from '../src/http/router';
import { TraceCollector, type Trace } from '../src/telemetry/trace';
import { listen } from './world';

const operation = (method: OperationDocument['method'], path: string): OperationDocument => ({
  method,
  path,
  flow: [{ kind: 'reply', status: 200 }],
});
function api(slug: string, doors: FlowDocument['doors'], operations: Record<string, OperationDocument>): LoadedApi {
  const document: FlowDocument = { hinge: 1, api: { name: slug, version: '1' }, doors, operations };
  return { config: { slug, document }, compiled: compileApi(document) };
}

describe('the router', () => {
  const router = new Router([
    api('a', [{ name: 'p', path: '/a' }], {
      one: operation('GET', '/things/{thing-id}'),
      fixed: operation('GET', '/things/all'),
      two: operation('GET', '/things/{x}/parts/{part.no}'),
      colon: operation('POST', '/things/{id}:close'),
      again: operation('GET', '/things/{other}'),
    }),
    api('b', [{ name: 'p', path: '/' }], { any: operation('ANY', '/*') }),
    api('c', [{ name: 'h', path: '/hosted', hosts: ['one.test'] }], { op: operation('GET', '/') }),
  ]);
  const find = (method: string, url: string, host?: string) => {
    const m = router.find(method, url, host);
    return m && { op: m.route.operation.id, path: m.path, rest: m.rest };
  };

  test('a fixed segment goes before a parameter, whatever the parameter is called', () => {
    expect(find('GET', '/a/things/all')).toMatchObject({ op: 'fixed' });
    expect(find('GET', '/a/things/7')).toEqual({ op: 'one', path: { 'thing-id': '7' }, rest: '' });
    expect(find('GET', '/a/things/7/parts/8')).toMatchObject({ path: { x: '7', 'part.no': '8' } });
  });

  test('of two operations on one path the first keeps it', () =>
    expect(find('GET', '/a/things/x')).toMatchObject({ op: 'one' }));

  test('percent-encoding is undone inside a parameter only', () => {
    expect(find('GET', '/a/things/a%2Fb%20c')).toMatchObject({ path: { 'thing-id': 'a/b c' } });
  });

  test('a trailing slash is the same path', () => expect(find('GET', '/a/things/all/')).toMatchObject({ op: 'fixed' }));

  test('a wildcard takes the rest as it came', () => {
    expect(find('PUT', '/x/y%20z')).toEqual({ op: 'any', path: {}, rest: '/x/y%20z' });
  });

  test('a door with hosts answers for these only', () => {
    expect(find('GET', '/hosted', 'one.test')).toMatchObject({ op: 'op' });
    expect(find('GET', '/hosted', 'two.test')).toMatchObject({ op: 'any' });
  });

  test('the methods of a path, and the door that a lost path is nearest to', () => {
    expect(router.methodsAt('/a/things/7', undefined)).toEqual(expect.arrayContaining(['GET', 'HEAD']));
    expect(router.doorOf('/a/nothing')).toMatchObject({ base: '/a', door: 'p' });
    expect(router.doorOf('/ab')).toMatchObject({ base: '' });
  });
});

describe('the last good configuration', () => {
  test('is written whole or not at all, the newest wins, rubbish counts as none', async () => {
    const dir = await mkdtemp(join(tmpdir(), 'hinge-last-'));
    const last = new LastGood(dir);
    expect(await last.load()).toBeUndefined();
    await Promise.all(['1', '2', '3'].map((revision) => last.save({ revision, apis: [] })));
    expect(await last.load()).toEqual({ revision: '3', apis: [] });
    expect(await readdir(dir)).toEqual(['last-good.json']);
    await writeFile(join(dir, 'last-good.json'), '{"rev');
    expect(await last.load()).toBeUndefined();
  });
});

describe('traces', () => {
  const parts = (id: string) => ({
    head: { id, traceId: id, at: 0, method: 'GET', url: '/', status: 200, ms: 1, backendMs: 0 },
    request: { headers: {}, body: Body.empty() },
    reply: { headers: {}, body: Body.empty(), status: 200 },
    seen: [],
    startedMs: 0,
  });

  test('come in batches; beyond the bound the oldest go, and are counted', async () => {
    const got: Trace[][] = [];
    const collector = new TraceCollector(
      async (batch) => void got.push(batch.map((text) => JSON.parse(text) as Trace)),
    );
    for (let i = 0; i < GATEWAY_LIMITS.tracesWaiting + 5; i++) collector.add(parts(String(i)));
    await collector.flush();
    expect([got.length, got[0]!.length, got[0]![0]!.id, collector.dropped]).toEqual([
      1,
      GATEWAY_LIMITS.tracesWaiting,
      '5',
      5,
    ]);
  });

  test('are made into text sixteen together, a large one at once: what was sent is not held for long', async () => {
    // On a slow machine the quarter of a second would be over before the test is.
    jest.useFakeTimers({ doNotFake: ['setImmediate'] });
    const collector = new TraceCollector(async () => undefined);
    let made = 0;
    const watched = (bytes: number) => ({
      ...parts('1'),
      get head() {
        made++;
        return parts('1').head;
      },
      reply: { headers: {}, body: Body.ofText('x'.repeat(bytes), 'text/plain'), status: 200 },
    });
    const turn = () => new Promise((r) => setImmediate(r));
    for (let i = 0; i < 15; i++) collector.add(watched(10));
    await turn();
    expect(made).toBe(0);
    collector.add(watched(10));
    await turn();
    expect(made).toBe(16);
    collector.add(watched(100_000));
    await turn();
    expect(made).toBe(17);
    collector.add(watched(10));
    await collector.flush();
    jest.useRealTimers();
    expect(made).toBe(18);
  });

  test('have a bound in characters too', async () => {
    const got: string[] = [];
    const collector = new TraceCollector(async (batch) => void got.push(...batch));
    const most = GATEWAY_LIMITS.tracesWaitingChars;
    const long = (id: string) => {
      const p = parts(id);
      return { ...p, head: { ...p.head, url: 'x'.repeat(most / 4) } };
    };
    for (let i = 0; i < 6; i++) collector.add(long(String(i)));
    await collector.flush();
    expect(got.map((t) => (JSON.parse(t) as Trace).id)).toEqual(['3', '4', '5']);
    expect(collector.dropped).toBe(3);
  });

  test('that cannot be told are counted, and the others come', async () => {
    const got: string[] = [];
    const collector = new TraceCollector(async (batch) => void got.push(...batch));
    const wrong = parts('1');
    Object.defineProperty(wrong.reply, 'headers', {
      get: () => {
        throw new Error('no headers');
      },
    });
    collector.add(wrong);
    collector.add(parts('2'));
    // By itself, once the reply is out; nobody is there to catch anything.
    await new Promise((r) => setImmediate(r));
    await collector.flush();
    expect([got.length, collector.dropped]).toEqual([1, 1]);
  });

  test('are lost, and counted, when nobody takes them; nothing is kept when nobody looks', async () => {
    const away = new TraceCollector(() => Promise.reject(new Error('away')));
    away.add(parts('1'));
    await away.flush();
    expect(away.dropped).toBe(1);
    const none = new TraceCollector(undefined);
    none.add(parts('1'));
    expect([none.wanted, none.dropped]).toEqual([false, 0]);
  });
});

describe('backends over HTTP', () => {
  const backends = new HttpBackends();
  const stops: (() => Promise<void> | void)[] = [];
  afterEach(async () => {
    for (const s of stops.splice(0)) await s();
  });
  const send = (url: string, timeoutMs = 2000) =>
    backends.send({ backend: 'b', url, method: 'GET', headers: {}, body: Body.empty(), timeoutMs });
  const kind = (p: Promise<unknown>) =>
    p.then(
      () => 'none',
      (e: BackendFailure) => e.kind,
    );

  test('a port where nobody listens, a name that is none, an answer that is no HTTP', async () => {
    expect(await kind(send('http://127.0.0.1:1/'))).toBe('unreachable');
    const tcp: Server = createTcp((socket) => socket.end('SSH-2.0-hello\r\n'));
    await new Promise<void>((resolve) => tcp.listen(0, '127.0.0.1', resolve));
    stops.push(() => void tcp.close());
    expect(await kind(send(`http://127.0.0.1:${(tcp.address() as { port: number }).port}/`))).toBe('unreadable');
  });

  test('no headers in time, and a body that never ends, are both time-outs', async () => {
    const silent = await listen(() => undefined);
    stops.push(silent.stop);
    expect(await kind(send(silent.url, 100))).toBe('timeout');
    const endless = await listen((_req, res) => {
      res.writeHead(200);
      const timer = setInterval(() => res.write('x'), 10);
      res.once('close', () => clearInterval(timer));
    });
    stops.push(endless.stop);
    const reply = await send(endless.url, 200);
    expect(await kind(reply.body.load())).toBe('timeout');
  });

  test('a body that breaks off is unreadable; repeated fields are joined', async () => {
    const cut = await listen((_req, res) => {
      res.writeHead(
        200,
        [
          ['content-length', '10'],
          ['x-a', '1'],
          ['x-a', '2'],
        ].flat() as string[],
      );
      res.write('abc');
      setTimeout(() => res.destroy(), 10);
    });
    stops.push(cut.stop);
    const reply = await send(cut.url);
    expect(reply.headers['x-a']).toBe('1, 2');
    expect(await kind(reply.body.load())).toBe('unreadable');
  });
});
