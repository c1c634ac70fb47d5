import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  Body,
  compileApi,
  effectiveGuards,
  GUARD_ORDER,
  OwnCounters,
  rehearseCase,
  showMessage,
  withWorkspace,
  type CaseDocument,
  type CompiledApi,
  type FlowDocument,
  type GuardDocument,
  type Incoming,
} from '../src';
import { sha256 } from '../src/guards/key/guard';
import { Windows } from '../src/guards/rate/windows';
import { answer, api } from './small-world';

/** One door of a document with guards, called as the gateway does. */
function door(guards: GuardDocument[], more: Partial<FlowDocument> = {}) {
  let offset = 0;
  const now = () => 1_000 + offset;
  const document = { ...api([answer('{"app": app.name, "plan": plan.name, "s": plan.values.s}')]), guards, ...more };
  const [operation] = compileApi(document).operations.get('public')!;
  return {
    wait: (ms: number) => void (offset += ms),
    async call(given: Partial<Incoming> = {}) {
      const { reply, refusal } = await operation!.handle(
        {
          method: 'GET',
          url: '/t/x/1',
          path: { id: '1' },
          query: {},
          search: '',
          rest: '',
          headers: {},
          body: Body.empty(),
          ...given,
        },
        {
          ports: { clock: { now }, backends: { send: () => Promise.reject(new Error('none')) } },
          env: {},
          traceId: 't',
          outbound: {},
        },
      );
      return {
        status: reply.status!,
        headers: reply.headers,
        body: reply.body.value() as Record<string, unknown>,
        inner: refusal?.options.inner,
      };
    },
  };
}

describe('key', () => {
  const apps = async () => ({
    kittiwake: {
      name: 'Kittiwake Agency',
      plan: 'channel',
      keys: [await sha256('key-one'), (await sha256('key-two')).toUpperCase()],
    },
    dunlin: { keys: [await sha256('key-three')] },
  });
  const plans = { channel: { name: 'Channel', values: { s: 120 } } };

  // FIPS 180-4, example "abc" (from memory of the standard's test vectors).
  test('keys are compared by their SHA-256', async () => {
    expect(await sha256('abc')).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
  });

  test('any live key of an app lets it in, with its plan; flows read both', async () => {
    const d = door([{ kind: 'key' }], { apps: await apps(), plans });
    for (const key of ['key-one', 'key-two'])
      expect((await d.call({ headers: { 'x-api-key': key } })).body).toEqual({
        app: 'Kittiwake Agency',
        plan: 'Channel',
        s: 120,
      });
    expect((await d.call({ headers: { 'x-api-key': 'key-three' } })).body).toEqual({ app: 'dunlin' });
  });

  test('no key and a wrong one get the same answer, which says what is wanted where', async () => {
    const d = door([{ kind: 'key', header: 'X-Harbour-Key', query: 'key' }], { apps: await apps() });
    const [none, wrong] = [await d.call(), await d.call({ headers: { 'x-harbour-key': 'key-on' } })];
    expect(none.status).toBe(401);
    expect(none.headers['www-authenticate']).toContain('X-Harbour-Key');
    expect({ ...none, inner: '' }).toEqual({ ...wrong, inner: '' });
    expect((await d.call({ search: '?key=key-one&x=1' })).status).toBe(200);
  });

  test('flow, backend and trace do not see the key', async () => {
    const backend = { name: 'b', address: 'http://b.example' };
    const seen: { url: string; headers: Record<string, string> }[] = [];
    const d: FlowDocument = {
      hinge: 1,
      api: { name: 'A', version: '1' },
      doors: [{ name: 'main', path: '/a' }],
      guards: [{ kind: 'key', header: 'X-Harbour-Key', query: 'key' }],
      apps: await apps(),
      backends: { b: backend },
      operations: { any: { method: 'ANY', path: '/*', flow: [{ kind: 'call', backend: 'b' }] } },
    };
    const compiled = compileApi(d);
    const context = {
      ports: {
        clock: { now: () => 0 },
        backends: {
          send: async (r: { url: string; headers: Record<string, string> }) => {
            seen.push(r);
            return { status: 204, headers: {}, body: Body.empty() };
          },
        },
      },
      env: {},
      traceId: 't',
      outbound: {},
    };
    const call = async (headers: Record<string, string>, search: string) =>
      (
        await compiled.operations.get('main')![0]!.handle(
          {
            ...{ method: 'GET', url: '/a/x', path: {}, query: {}, rest: '/x', body: Body.empty() },
            ...{ headers, search },
          },
          context,
        )
      ).reply.status;
    expect(await call({ 'x-harbour-key': 'key-one', accept: '*/*' }, '?a=%20b')).toBe(204);
    expect(await call({ accept: '*/*' }, '?a=%20b&k%65y=key-one&c')).toBe(204);
    expect(await call({}, '?key=key-one')).toBe(204);
    expect(seen.map((s) => s.url)).toEqual([
      'http://b.example/x?a=%20b',
      'http://b.example/x?a=%20b&c',
      'http://b.example/x',
    ]);
    expect(seen[0]!.headers).toMatchObject({ accept: '*/*' });
    expect(JSON.stringify(seen)).not.toMatch(/key-one|harbour-key/);
    const shown = showMessage(
      { path: '/a?x=1&key=key-one&key=key-two&y', headers: { 'x-harbour-key': 'key-one' }, body: Body.empty() },
      compiled.secrets,
    );
    expect([shown.path, shown.headers]).toEqual(['/a?x=1&key=***&key=***&y', { 'x-harbour-key': '***' }]);
  });
});

describe('network', () => {
  test.each([
    [{ allow: ['10.0.0.0/8', '2001:db8::/32'] }, '10.1.2.3', 200],
    [{ allow: ['10.0.0.0/8'] }, '11.1.2.3', 403],
    [{ allow: ['10.0.0.0/8'] }, '::ffff:10.1.2.3', 200],
    [{ allow: ['2001:db8::/32'] }, '2001:db8::1', 200],
    [{ allow: ['10.0.0.0/8'], deny: ['10.9.0.1'] }, '10.9.0.1', 403],
    [{ deny: ['10.9.0.1'] }, '10.9.0.2', 200],
    [{ allow: ['10.0.0.0/8'] }, undefined, 403],
    [{ deny: ['10.9.0.1'] }, undefined, 200],
  ])('%j and %s: %s', async (guard, remote, status) => {
    expect((await door([{ kind: 'network', ...guard }]).call({ remote })).status).toBe(status);
  });
});

describe('rate', () => {
  test('exact in every window, and it says how much is left and when to come again', async () => {
    const d = door([{ kind: 'rate', calls: 2, seconds: 10 }]);
    const first = await d.call({ remote: '10.0.0.1' });
    expect([first.status, first.headers.ratelimit, first.headers['ratelimit-policy']]).toEqual([
      200,
      '"default";r=1;t=10',
      '"default";q=2;w=10',
    ]);
    d.wait(4_000);
    expect((await d.call({ remote: '10.0.0.1' })).headers.ratelimit).toBe('"default";r=0;t=6');
    const third = await d.call({ remote: '10.0.0.1' });
    expect([third.status, third.headers['retry-after']]).toEqual([429, '6']);
    expect((await d.call({ remote: '10.0.0.2' })).status).toBe(200);
    d.wait(6_000);
    expect((await d.call({ remote: '10.0.0.1' })).status).toBe(200);
    expect((await d.call({ remote: '10.0.0.1' })).status).toBe(429);
  });

  test('a plan has its own, counted for the app; a refusal of one app is no refusal of another', async () => {
    const apps = {
      a: { plan: 'quay', keys: [await sha256('a')] },
      b: { plan: 'quay', keys: [await sha256('b')] },
      c: { keys: [await sha256('c')] },
    };
    const plans = { quay: { guards: [{ kind: 'rate' as const, calls: 1, seconds: 60 }] } };
    const d = door([{ kind: 'key' }], { apps, plans });
    const as = async (key: string) => (await d.call({ headers: { 'x-api-key': key } })).status;
    expect([await as('a'), await as('a'), await as('b'), await as('c'), await as('c')]).toEqual([
      200, 429, 200, 200, 200,
    ]);
  });

  test.each([
    ['operation', ['1', '2']],
    [{ expression: 'headers.`x-group`' }, ['1', '1']],
  ] as const)('counted per %j', async (per, groups) => {
    const d = door([{ kind: 'rate', calls: 1, seconds: 60, per }]);
    const statuses = [];
    for (const g of groups) statuses.push((await d.call({ headers: { 'x-group': g }, remote: g })).status);
    expect(statuses).toEqual([200, 429]);
  });

  // The judge is the definition: among the calls let in, no window of the length holds more than allowed, and none is refused that would have fitted.
  test('property: never too many, never too few', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 5 }),
        fc.array(fc.integer({ min: 0, max: 40 }), { maxLength: 60 }),
        (calls, gaps) => {
          const w = new Windows(calls, 100);
          const taken: number[] = [];
          let t = 0;
          for (const gap of gaps) {
            t += gap;
            const inWindow = taken.filter((x) => t - x < 100).length;
            const { ok, left } = w.take('k', t);
            expect(ok).toBe(inWindow < calls);
            if (ok) {
              taken.push(t);
              expect(left).toBe(calls - inWindow - 1);
            }
          }
        },
      ),
      { seed: 9, numRuns: 300 },
    );
  });
});

test('guards of a door are its own: one door open, one by key', async () => {
  const document = { ...api([answer('app.id')]), apps: { a: { keys: [await sha256('k')] } } };
  document.doors = [
    { name: 'open', path: '/o' },
    { name: 'closed', path: '/c', guards: [{ kind: 'key' }] },
  ];
  const compiled = compileApi(document);
  const call = async (name: string, headers: Record<string, string> = {}) => {
    const { reply } = await compiled.operations.get(name)![0]!.handle(
      { method: 'GET', url: '/x/1', path: { id: '1' }, query: {}, search: '', rest: '', headers, body: Body.empty() },
      {
        ports: { clock: { now: () => 1 }, backends: { send: () => Promise.reject(new Error('none')) } },
        env: {},
        traceId: 't',
        outbound: {},
      },
    );
    return reply.status;
  };
  expect([await call('open'), await call('closed'), await call('closed', { 'x-api-key': 'k' })]).toEqual([
    200, 401, 200,
  ]);
});

test('a window of many calls takes memory only for those that came', () => {
  const windows = new Windows(100_000, 1000);
  const before = process.memoryUsage().arrayBuffers;
  for (let i = 0; i < 2_000; i++) windows.take(`address ${i}`, i);
  // 2,000 whole rings would be 1.6 GB.
  expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(16 * 1024 * 1024);
  const one = new Windows(1_000, 1_000);
  const taken = Array.from({ length: 1_500 }, (_x, i) => one.take('k', i / 10).ok);
  expect([taken.lastIndexOf(true), taken.filter(Boolean).length]).toEqual([999, 1_000]);
  expect(one.take('k', 999)).toMatchObject({ ok: false, left: 0, waitMs: 1 });
  expect(one.take('k', 1_000)).toMatchObject({ ok: true, left: 0 });
});

describe('a rehearsal that says whose request it plays', () => {
  const guards: GuardDocument[] = [{ kind: 'key' }];
  const document: FlowDocument = {
    ...api([answer('{"app": app.name, "plan": plan.name, "s": plan.values.s}')]),
    guards,
    plans: { channel: { name: 'Channel', values: { s: 120 }, guards: [{ kind: 'rate', calls: 1, seconds: 60 }] } },
  };
  const play = (compiled: CompiledApi, app: CaseDocument['app']) =>
    rehearseCase(
      compiled,
      { name: 'c', operation: 'Do', request: { path: { id: '1' } }, app },
      { ports: { clock: { now: () => 1 }, backends: { send: () => Promise.reject(new Error('none')) } } },
    );

  test.each(['channel', 'Channel'])(
    'is not asked for a key, and has plan %s with its values and guards',
    async (plan) => {
      const compiled = compileApi(document);
      const app = { id: 'kittiwake', name: 'Kittiwake Agency', plan };
      const first = await play(compiled, app);
      expect([first.reply.status, first.reply.body]).toEqual([
        200,
        { app: 'Kittiwake Agency', plan: 'Channel', s: 120 },
      ]);
      const second = await play(compiled, app);
      expect([second.reply.status, second.error?.guard]).toEqual([429, { kind: 'rate', from: 'the plan Channel' }]);
    },
  );

  test('has no connection: a network list does not refuse it, as it does a call whose address is not known', async () => {
    const listed = { ...document, guards: [{ kind: 'network' as const, allow: ['192.0.2.0/24'] }] };
    expect((await play(compileApi(listed), undefined)).reply.status).toBe(200);
    expect((await door(listed.guards).call()).status).toBe(403);
  });

  test('without one it is asked, as a caller is', async () => {
    const r = await play(compileApi(document), undefined);
    expect([r.reply.status, r.error?.guard]).toEqual([401, { kind: 'key', from: 'all doors' }]);
  });
});

describe('guards of the workspace', () => {
  const rate: GuardDocument = { kind: 'rate', calls: 2, seconds: 60, per: 'address' };
  const one = (name: string, guards: GuardDocument[] = []): FlowDocument => ({
    ...api([answer('"in"')]),
    api: { name, version: '1' },
    guards,
  });

  test('act where an API has none of the kind, and say where they come from', () => {
    const own: GuardDocument = { kind: 'rate', calls: 9, seconds: 60 };
    const origins = (d: FlowDocument) =>
      effectiveGuards(
        withWorkspace(d, [rate, { kind: 'size', maxBytes: 10 }]),
        d.doors[0],
        d.operations.Do!,
        GUARD_ORDER,
      ).map((g) => `${g.guard.kind} ${g.origin}`);
    expect(origins(one('A'))).toEqual(['rate workspace', 'size workspace']);
    expect(origins(one('A', [own]))).toEqual(['rate api', 'size workspace']);
    expect(origins(one('A', [{ ...own, off: true }]))).toEqual(['size workspace']);
    expect(withWorkspace(one('A'), [])).toEqual(one('A'));
  });

  test('count for all APIs together', async () => {
    const counters = new OwnCounters(() => 1);
    const ask = async (slug: string) => {
      const compiled = compileApi(withWorkspace(one(slug), [rate]));
      const { reply, refusal } = await compiled.operations.get('public')![0]!.handle(
        {
          method: 'GET',
          url: '/t/x/1',
          path: { id: '1' },
          query: {},
          search: '',
          rest: '',
          headers: {},
          body: Body.empty(),
        },
        {
          api: slug,
          ports: { counters, clock: { now: () => 1 }, backends: { send: () => Promise.reject(new Error('none')) } },
          env: {},
          traceId: 't',
          outbound: {},
        },
      );
      return [reply.status, refusal?.guard?.from];
    };
    expect([await ask('a'), await ask('b'), await ask('a')]).toEqual([
      [200, undefined],
      [200, undefined],
      [429, 'the workspace'],
    ]);
  });
});
