import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { draftFor, planFor, readOpenApi, type FlowDocument, type GuardDocument } from '@hinge/core';
import { Redis } from 'ioredis';
import { startGateway, type RunningGateway, type StoreOptions } from '../src';
import { StoreLink } from '../src/stores/link';
import { RealRedis } from './redis';
import { eventually, listen } from './world';

jest.setTimeout(60_000);
let redis: RealRedis;
let look: Redis;
const running: RunningGateway[] = [];

beforeAll(async () => {
  redis = await RealRedis.start();
  look = new Redis(redis.url, { maxRetriesPerRequest: null });
  look.on('error', () => undefined);
});
beforeEach(async () => {
  await look.flushall();
});
afterEach(async () => {
  await Promise.all(running.splice(0).map((g) => g.stop()));
});
afterAll(async () => {
  look.disconnect();
  await redis.kill();
});

const guarded = (guards: GuardDocument[], more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Quay', version: '1' },
  doors: [{ name: 'public', path: '/quay' }],
  guards,
  operations: {
    look: { method: 'GET', path: '/', flow: [{ kind: 'reply', from: '"here"' }] },
    list: { method: 'GET', path: '/list', flow: [{ kind: 'reply', from: '"here"' }] },
  },
  ...more,
});

async function start(document: FlowDocument, whenAway: StoreOptions['whenAway'] = 'own') {
  const g = await startGateway({
    port: 0,
    controlPort: 0,
    config: { revision: '1', environment: 'sandbox', apis: [{ slug: 'quay', document }] },
    store: { url: redis.url, whenAway },
  });
  running.push(g);
  return { at: `http://127.0.0.1:${g.port}`, control: `http://127.0.0.1:${g.controlPort}` };
}
const status = async (url: string) => {
  const r = await fetch(url);
  await r.text();
  return r.status;
};
const count = (all: readonly number[]) => {
  const out: Record<number, number> = {};
  for (const s of all) out[s] = (out[s] ?? 0) + 1;
  return out;
};

describe('limits over three gateways are exact to the call', () => {
  test.each<[string, GuardDocument, object]>([
    ['rate', { kind: 'rate', calls: 50, seconds: 60 }, { 200: 50, 429: 250 }],
    ['quota', { kind: 'quota', calls: 70, each: 'day' }, { 200: 70, 429: 230 }],
    ['rate for each operation', { kind: 'rate', calls: 40, seconds: 60, per: 'operation' }, { 200: 80, 429: 220 }],
  ])('%s: 300 calls at once, by both operations', async (_what, guard, wanted) => {
    const three = await Promise.all([1, 2, 3].map(() => start(guarded([guard]))));
    const all = Array.from({ length: 300 }, (_x, i) => status(`${three[i % 3]!.at}/quay/${i % 2 ? 'list' : ''}`));
    expect(count(await Promise.all(all))).toEqual(wanted);
  });

  test.each([
    ['an answer that waits unread', 0, 'here'],
    ['no answer', 2000, 'no answer in 500 ms'],
  ])('a process that is too busy to read: %s', async (_what, pauseMs, wanted) => {
    const link = new StoreLink(redis.url, () => undefined);
    await link.open();
    await look.set('k', 'here');
    if (pauseMs) await look.call('CLIENT', 'PAUSE', String(pauseMs));
    const asked = link.ask((r) => r.get('k')).catch((e: Error) => e.message);
    await new Promise((r) => setImmediate(r));
    for (const until = Date.now() + 900; Date.now() < until;);
    expect(await asked).toBe(wanted);
    link.close();
  });

  test('what is left is told by every gateway', async () => {
    const three = guarded([{ kind: 'rate', calls: 3, seconds: 60 }]);
    const [a, c] = [await start(three), await start(three)];
    const left = [];
    for (const at of [a.at, c.at, a.at, c.at]) left.push((await fetch(`${at}/quay/`)).headers.get('ratelimit'));
    expect(left.map((l) => /r=(\d)/.exec(l!)![1])).toEqual(['2', '1', '0', '0']);
  });

  test('a window that has passed lets in again', async () => {
    const { at } = await start(guarded([{ kind: 'rate', calls: 1, seconds: 1 }]));
    expect([await status(`${at}/quay/`), await status(`${at}/quay/`)]).toEqual([200, 429]);
    await eventually('the next', async () => (await status(`${at}/quay/`)) === 200, 3000);
  });

  test('calls at the same time: two go on, wherever; a place is free once its call has ended', async () => {
    let open: (() => void)[] = [];
    const backend = await listen((_req, res) => void open.push(() => res.end('{}')));
    const document = guarded([{ kind: 'concurrency', calls: 2 }], {
      backends: { slow: { address: backend.url } },
      operations: { look: { method: 'GET', path: '/', flow: [{ kind: 'call', backend: 'slow' }] } },
    });
    const [a, b] = [await start(document), await start(document)];
    const going = [status(`${a.at}/quay/`), status(`${b.at}/quay/`)];
    await eventually('both', () => open.length === 2);
    expect([await status(`${a.at}/quay/`), await status(`${b.at}/quay/`)]).toEqual([429, 429]);
    for (const end of open) end();
    open = [];
    expect(await Promise.all(going)).toEqual([200, 200]);
    await eventually('a free place', async () => {
      let said: number | undefined;
      void status(`${b.at}/quay/`).then((s) => (said = s));
      await eventually('the call at its end', () => {
        for (const end of open.splice(0)) end();
        return said !== undefined;
      });
      return said === 200;
    });
    await backend.stop();
  });
});

describe('remembered replies', () => {
  const TIDES = `openapi: 3.1.0
info: {title: Tides, version: "1"}
paths:
  /table/{day}:
    get:
      operationId: getTable
      parameters: [{name: day, in: path, required: true, schema: {type: string}}]
      responses:
        "200":
          description: A table
          content:
            application/xml:
              schema:
                type: object
                xml: {name: table}
                properties:
                  station: {type: string, xml: {attribute: true}}
                  metres: {type: array, items: {type: number}}
`;
  async function tides() {
    let asked = 0;
    const backend = await listen((_req, res) => {
      asked++;
      res.setHeader('content-type', 'application/xml');
      res.end(`<table station="Tarnhaven"><metres>0.90</metres><metres>12345678901234567890.5</metres></table>`);
    });
    const source = { entry: 'tides.yaml', files: { 'tides.yaml': TIDES } };
    const contract = readOpenApi(source);
    const document = draftFor(contract, source, planFor(contract), { address: backend.url });
    const operation = document.operations.getTable!;
    const [request, call, reply] = operation.flow;
    operation.flow = [
      { kind: 'remember', seconds: 60, shared: true, tags: ['"tides"'], flow: [request!, call!] },
      reply!,
    ];
    document.doors = [{ name: 'public', path: '/tides', answers: 'json' }];
    return { backend, document, asked: () => asked };
  }

  test('what one gateway fetched another gives, digit by digit, with its age; forgotten by tag everywhere', async () => {
    const { backend, document, asked } = await tides();
    const [a, b] = [await start(document), await start(document)];
    const get = async (at: string) => {
      const r = await fetch(`${at}/tides/table/today`);
      return [r.status, r.headers.get('cache-status'), await r.text()] as const;
    };
    const first = await get(a.at);
    expect([first[0], first[1]]).toEqual([200, 'hinge; fwd=uri-miss; stored; ttl=60']);
    expect(first[2]).toBe('{"station":"Tarnhaven","metres":[0.90,12345678901234567890.5]}');
    const second = await get(b.at);
    expect(second[1]).toMatch(/^hinge; hit; ttl=(60|59)$/);
    expect([second[2], asked()]).toEqual([first[2], 1]);
    const purged = await fetch(`${b.control}/remembered?tag=tides`, { method: 'DELETE' });
    expect(await purged.json()).toEqual({ forgotten: 1 });
    expect([(await get(a.at))[1], asked()]).toEqual(['hinge; fwd=uri-miss; stored; ttl=60', 2]);
    expect(await (await fetch(`${a.control}/remembered`, { method: 'DELETE' })).json()).toEqual({ forgotten: 1 });
    await backend.stop();
  });

  test('a store that is away remembers nothing, and nobody waits for it', async () => {
    const { backend, document, asked } = await tides();
    const { at, control } = await start(document);
    await redis.kill();
    const started = Date.now();
    for (let i = 0; i < 3; i++) expect(await status(`${at}/tides/table/today`)).toBe(200);
    expect(asked()).toBe(3);
    expect(Date.now() - started).toBeLessThan(3_000);
    expect((await fetch(`${control}/remembered`, { method: 'DELETE' })).status).toBe(503);
    await redis.run();
    await backend.stop();
  });
});

describe('the store is killed under load (kill -9)', () => {
  const load = async (at: string, until: () => boolean) => {
    const seen: number[] = [];
    await Promise.all(
      Array.from({ length: 8 }, async () => {
        while (!until()) {
          seen.push(await status(`${at}/quay/`).catch(() => 0));
          await new Promise((r) => setTimeout(r, 2));
        }
      }),
    );
    return count(seen);
  };

  test.each<[StoreOptions['whenAway'], number[]]>([
    ['own', [200]],
    ['refuse', [200, 503]],
  ])('%s: callers see %j and nothing else; when it is back, it counts for all again', async (whenAway, wanted) => {
    const document = guarded([{ kind: 'rate', calls: 1_000_000, seconds: 60 }]);
    const { at, control } = await start(document, whenAway);
    const ready = async () => (await (await fetch(`${control}/readyz`)).json()) as Record<string, unknown>;
    expect(await ready()).toMatchObject({ store: 'connected', whenStoreAway: whenAway });
    let over = false;
    const loaded = load(at, () => over);
    await new Promise((r) => setTimeout(r, 200));
    await redis.kill();
    await eventually('it to be seen', async () => (await ready()).store === 'away');
    await new Promise((r) => setTimeout(r, 300));
    const away = await fetch(`${at}/quay/`);
    if (whenAway === 'refuse') {
      expect([away.status, away.headers.get('retry-after')]).toEqual([503, '2']);
      expect(((await away.json()) as { detail: string }).detail).toBe('Calls cannot be counted now.');
    } else expect(away.status).toBe(200);
    await redis.run();
    await eventually('it to be back', async () => (await ready()).store === 'connected');
    await new Promise((r) => setTimeout(r, 200));
    over = true;
    const seen = await loaded;
    expect(Object.keys(seen).map(Number)).toEqual(wanted);
    expect(await look.keys('hinge:sandbox:w *')).toHaveLength(1);
  });
});
