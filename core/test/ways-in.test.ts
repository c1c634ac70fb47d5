import { describe, expect, test } from '@jest/globals';
import { Body, compileApi, waysIn, type FlowDocument, type GuardDocument, type WayIn } from '../src';
import { sha256 } from '../src/guards/key/guard';

const rate = (calls: number): GuardDocument => ({ kind: 'rate', calls, seconds: 60 });
const flow = [{ kind: 'reply' as const, status: 200, body: { ok: true } }];
const operation = (path: string, guards?: GuardDocument[], more: object = {}) => ({
  method: 'GET' as const,
  path,
  ...(guards && { guards }),
  ...more,
  flow,
});

const document = (): FlowDocument => ({
  hinge: 1,
  api: { name: 'Quay', version: '1' },
  doors: [
    { name: 'public', path: '/quay/v1', guards: [{ kind: 'key' }] },
    { name: 'office', path: '/office/', guards: [{ kind: 'network', allow: ['127.0.0.0/8'] }] },
    { name: 'feed', path: '/feed', answers: 'events', webhooks: { callbacks: ['https://desk.example/*'] } },
    { name: 'graph', path: '/graph', answers: 'graphql', guards: [{ kind: 'key', off: true }] },
  ],
  guards: [rate(100), { kind: 'size', maxBytes: 1000 }],
  topics: {
    berthed: { door: { guards: [{ kind: 'basic', users: {} }, { kind: 'schema' }] } },
    left: { door: { publish: false, callback: { path: '/called', guards: [{ kind: 'signature', secret: 's' }] } } },
  },
  graph: {
    fields: { 'Berth.vessel': { guards: [{ kind: 'schema' }, { kind: 'token' }, { kind: 'cors', origins: ['*'] }] } },
  },
  operations: {
    berths: operation('/berths'),
    tide: operation('/tide', [rate(5), { kind: 'key', off: true }]),
    hidden: operation('/hidden', [{ kind: 'key' }], { internal: true }),
  },
});

const line = (w: WayIn) =>
  `${w.kind} ${w.name}: ${w.method} ${w.path} [${w.guards.map((g) => `${g.guard.kind} ${g.origin}`).join(', ')}]${w.open ? ' open' : ''}`;

test('every way in with its guards, the nearest of a kind, in the order in which they act', () => {
  expect(waysIn(document(), [{ kind: 'headers' }, { kind: 'size', maxBytes: 1 }]).map(line)).toEqual([
    'operation berths: GET /quay/v1/berths [headers workspace, key door, rate api, size api]',
    'operation tide: GET /quay/v1/tide [headers workspace, rate operation, size api] open',
    'operation berths: GET /office/berths [network door, headers workspace, rate api, size api] open',
    'operation tide: GET /office/tide [network door, headers workspace, rate operation, size api] open',
    'topic publish berthed: POST /feed/berthed [headers workspace, basic topic, rate api, size api, schema topic]',
    'topic listen berthed: GET /feed/berthed [headers workspace, basic topic, rate api, size api, schema topic]',
    'topic listen left: GET /feed/left [headers workspace, rate api, size api] open',
    'topic callback left: POST /feed/called [headers workspace, rate api, size api, signature topic]',
    'topic challenge left: GET /feed/called [headers workspace, rate api, size api] open',
    'topic hub: POST /feed/hub [headers workspace, rate api, size api] open',
    'operation berths: GET /feed/berths [headers workspace, rate api, size api] open',
    'operation tide: GET /feed/tide [headers workspace, rate operation, size api] open',
    'graph graph: POST /graph [headers workspace, rate api, size api] open',
    'field tide: POST /graph [rate operation] open',
    'field berthed: POST /graph [basic topic]',
    'field Berth.vessel: POST /graph [cors field, token field]',
  ]);
});

describe('what it says is what the engine does', () => {
  const key = 'of-the-quay';
  const withApps = async (): Promise<FlowDocument> => ({
    ...document(),
    apps: { desk: { name: 'Desk', keys: [await sha256(key)] } },
  });

  test('the guards of each way are those that were compiled', async () => {
    const d = await withApps();
    const compiled = compileApi(d);
    const ways = waysIn(d);
    for (const door of d.doors.filter((x) => x.answers !== 'graphql')) {
      const made = compiled.operations
        .get(door.name)!
        .map((o) => `${o.id} ${o.guards.map((g) => g.guard.kind).join()}`);
      const told = ways
        .filter((w) => w.door === door.name)
        .map((w) => `${w.name} ${w.guards.map((g) => g.guard.kind).join()}`);
      expect(told).toEqual(made);
    }
    expect(ways.map((w) => w.name)).not.toContain('hidden');
  });

  test('an operation that is called open answers who shows nothing; another refuses with 401', async () => {
    const d = await withApps();
    const compiled = compileApi(d);
    const seen = new Set<boolean>();
    for (const way of waysIn(d).filter((w) => w.kind === 'operation')) {
      const made = compiled.operations.get(way.door)!.find((o) => o.id === way.name)!;
      const { reply } = await made.handle(
        {
          method: 'GET',
          url: way.path,
          path: {},
          query: {},
          search: '',
          rest: '',
          headers: {},
          body: Body.empty(),
          remote: '127.0.0.1',
        },
        {
          ports: { clock: { now: () => 1 }, backends: { send: () => Promise.reject(new Error('none')) } },
          env: {},
          traceId: 't',
          outbound: {},
        },
      );
      expect(`${way.path} ${reply.status}`).toBe(`${way.path} ${way.open ? 200 : 401}`);
      seen.add(way.open);
    }
    expect(seen).toEqual(new Set([true, false]));
  });
});

test('a document with mistakes is told of as well', () => {
  const broken = document();
  broken.topics!.berthed = {
    ...broken.topics!.berthed,
    schema: { type: 'object', properties: { at: { pattern: '(' }, of: { $ref: '#/nowhere' } } },
    door: { where: '$not(', data: '}{', callback: { path: '/again', where: '((', guards: [] } },
  };
  expect(waysIn(broken).filter((w) => w.door === 'feed')).toHaveLength(10);
});

test('a graph of a backend has no operations of its own; no door, no way in', () => {
  const behind = { ...document(), graph: { backend: 'desk' } };
  expect(
    waysIn(behind)
      .filter((w) => w.door === 'graph')
      .map((w) => w.name),
  ).toEqual(['graph', 'berthed']);
  expect(waysIn({ ...document(), doors: [] })).toEqual([]);
});
