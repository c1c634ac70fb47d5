import { describe, expect, test } from '@jest/globals';
import CachePolicy from 'http-cache-semantics';
import { BackendFailure, checkDocument, keyTag, type StepDocument } from '../src';
import { api, call, json, world, type Send } from './small-world';

const remember = (more: object): StepDocument[] => [
  { kind: 'remember', seconds: 60, flow: [call('one')], ...more } as StepDocument,
  { kind: 'map', to: 'reply', whole: 'body' },
];
const status = (r: { reply: { headers: Readonly<Record<string, string>> } }) => r.reply.headers['cache-status'];
const settle = () => new Promise((r) => setTimeout(r, 5));

describe('what is too old (RFC 5861)', () => {
  test('stale-while-revalidate: the old one at once, one fetch behind it however many ask, then the new one', async () => {
    let n = 0;
    const w = world(api(remember({ staleWhileSeconds: 30 })), async () => {
      await settle();
      return json({ n: ++n });
    });
    await w.run();
    w.wait(70_000);
    const all = await Promise.all([w.run(), w.run(), w.run()]);
    // RFC 9211 §2.4: ttl is negative for a stale response; RFC 9111 §5.1: Age goes on.
    expect(all.map((r) => [r.reply.body, status(r), r.reply.headers.age])).toEqual(
      Array.from({ length: 3 }, () => [{ n: 1 }, 'hinge; hit; ttl=-10', '70']),
    );
    await settle();
    await settle();
    expect(w.sent).toHaveLength(2);
    expect([(await w.run()).reply.body, status(await w.run())]).toEqual([
      { n: 2 },
      expect.stringContaining('hit; ttl=60'),
    ]);
    // Behind its window it is as if there were nothing.
    w.wait(91_000);
    expect((await w.run()).reply.body).toEqual({ n: 3 });
  });

  test('a fetch behind that fails leaves the old one where it was', async () => {
    let fail = false;
    const w = world(api(remember({ staleWhileSeconds: 30 })), () => {
      if (fail) throw new BackendFailure('unreachable', 'refused');
      return json({ n: w.sent.length });
    });
    await w.run();
    w.wait(65_000);
    fail = true;
    expect((await w.run()).reply.body).toEqual({ n: 1 });
    await settle();
    expect((await w.run()).reply.body).toEqual({ n: 1 });
  });

  test.each<[string, Send, string]>([
    [
      'a backend that is away',
      () => {
        throw new BackendFailure('unreachable', 'refused');
      },
      'hinge; fwd=stale; detail=stale-if-error',
    ],
    ['one that says 503', () => json({ sorry: true }, 503), 'hinge; fwd=stale; fwd-status=503; detail=stale-if-error'],
  ])('stale-if-error: %s is covered for as long as it is told', async (_name, broken, words) => {
    let down = false;
    const w = world(api(remember({ staleOnErrorSeconds: 100 })), (r) =>
      down ? broken(r) : json({ n: w.sent.length }),
    );
    await w.run();
    w.wait(61_000);
    down = true;
    const r = await w.run();
    expect([r.reply.status, r.reply.body]).toEqual([200, { n: 1 }]);
    expect(status(r)).toBe(words);
    expect(r.reply.headers.age).toBe('61');
    w.wait(100_000);
    const late = await w.run();
    expect([late.reply.body, late.reply.headers.age]).not.toEqual([{ n: 1 }, expect.anything()]);
    down = false;
    expect((await w.run()).reply.body).toMatchObject({ n: expect.any(Number) });
  });

  test('a mistake of the caller is never covered', async () => {
    let wrong = false;
    const w = world(api(remember({ staleOnErrorSeconds: 100 })), () => (wrong ? json({}, 404) : json({ n: 1 })));
    await w.run();
    w.wait(61_000);
    wrong = true;
    const r = await w.run();
    expect([r.reply.body, status(r)]).toEqual([{}, 'hinge; fwd=stale']);
  });
});

describe('obeying the backend (RFC 9111)', () => {
  const kept = async (headers: Record<string, string>, request: Record<string, string> = {}) => {
    const w = world(api(remember({ obey: true })), () => json({ n: w.sent.length }, 200, headers));
    const first = await w.run({ path: { id: 'a' }, headers: request });
    await w.run({ path: { id: 'a' }, headers: request });
    return { asked: w.sent.length, ttl: /ttl=(\d+)/.exec(status(first) ?? '')?.[1] };
  };
  const now = new Date().toUTCString();

  test.each<[string, Record<string, string>, number, string | undefined]>([
    ['§5.2.2.1 max-age', { 'cache-control': 'max-age=20' }, 1, '20'],
    ['§5.2.2.10 s-maxage before max-age', { 'cache-control': 'max-age=20, s-maxage=30' }, 1, '30'],
    ['the step says the most', { 'cache-control': 'max-age=7200' }, 1, '60'],
    ['§5.2.2.5 no-store', { 'cache-control': 'no-store, max-age=20' }, 2, undefined],
    ['§5.2.2.7 private', { 'cache-control': 'private, max-age=20' }, 2, undefined],
    ['§5.2.2.4 no-cache', { 'cache-control': 'no-cache' }, 2, undefined],
    ['§5.3 Expires', { date: now, expires: new Date(Date.now() + 25_000).toUTCString() }, 1, '25'],
    ['§4.2.3 Age that it has already', { 'cache-control': 'max-age=30', age: '10' }, 1, '20'],
    ['§4.1 Vary: *', { 'cache-control': 'max-age=20', vary: '*' }, 2, undefined],
    ['nothing said', {}, 2, undefined],
  ])('%s', async (_name, headers, asked, ttl) => {
    expect(await kept(headers)).toEqual({ asked, ttl });
    // The package's own verdict, for the same pair.
    const policy = new CachePolicy(
      { url: '/', method: 'GET', headers: {} },
      { status: 200, headers },
      { shared: true },
    );
    expect(asked === 1).toBe(policy.storable() && policy.timeToLive() > 0 && headers.vary !== '*');
  });

  test('§3.5: what an Authorization asked for is only kept where the reply allows it', async () => {
    const authorization = { authorization: 'Bearer x' };
    expect((await kept({ 'cache-control': 'max-age=20' }, authorization)).asked).toBe(2);
    expect((await kept({ 'cache-control': 'public, max-age=20' }, authorization)).asked).toBe(1);
  });

  test('§4.1: another value of a field that the reply depends on is another request', async () => {
    const w = world(api(remember({ obey: true })), () =>
      json({ n: w.sent.length }, 200, { 'cache-control': 'max-age=20', vary: 'Accept-Language' }),
    );
    const ask = async (language: string) =>
      (await w.run({ path: { id: 'a' }, headers: { 'accept-language': language } })).reply.body;
    expect([await ask('de'), await ask('de'), await ask('en'), await ask('en')]).toEqual([
      { n: 1 },
      { n: 1 },
      { n: 2 },
      { n: 2 },
    ]);
  });
});

test('what stands under a tag is forgotten by it, the rest stays', async () => {
  const w = world(api(remember({ tags: ['"tides"', '["day " & path.id, body.n]'] })), () => json({ n: w.sent.length }));
  const { store } = w;
  const ask = async (id: string) => ((await w.run({ path: { id } })).reply.body as { n: number }).n;
  expect([await ask('a'), await ask('b'), await ask('a')]).toEqual([1, 2, 1]);
  expect(await store.purge('nobody')).toBe(0);
  expect(await store.purge('day a')).toBe(1);
  expect([await ask('a'), await ask('b')]).toEqual([3, 2]);
  expect(await store.purge('2')).toBe(1);
  expect(await store.purge('tides')).toBe(1);
  expect(await ask('a')).toBe(4);
  expect([await store.purge(), store.size]).toEqual([1, 0]);
});

test('what has a key is forgotten by it, of whichever app', async () => {
  const w = world(api(remember({ key: ['path.id', '7'] })), () => json({ n: w.sent.length }));
  const { store } = w;
  const ask = async (id: string) => ((await w.run({ path: { id } })).reply.body as { n: number }).n;
  expect([await ask('a'), await ask('b')]).toEqual([1, 2]);
  expect(await store.purge(keyTag(['a']))).toBe(0);
  expect(await store.purge(keyTag(['a', '7']))).toBe(1);
  expect([await ask('a'), await ask('b')]).toEqual([3, 2]);
});

test('what steps set that then failed is not said of the old reply', async () => {
  let fail = false;
  const flow: StepDocument[] = [
    {
      kind: 'remember',
      seconds: 60,
      staleOnErrorSeconds: 100,
      flow: [{ kind: 'set', values: { tried: '"yes"' } }, call('one', { name: 'got' })],
    } as StepDocument,
    { kind: 'map', to: 'reply', whole: '{"n": body.n, "tried": $exists(vars.tried), "step": $exists(steps.got)}' },
  ];
  const w = world(api(flow), () => {
    if (fail) throw new BackendFailure('unreachable', 'refused');
    return json({ n: 1 });
  });
  expect((await w.run()).reply.body).toEqual({ n: 1, tried: true, step: true });
  w.wait(70_000);
  fail = true;
  expect((await w.run()).reply.body).toEqual({ n: 1, tried: false, step: false });
});

test('a cookie goes to the caller who got it, and is not kept for the next', async () => {
  const [kept] = remember({ shared: true });
  const w = world(api([kept!]), () => json({ n: 1 }, 200, { 'set-cookie': 'of=the first; Path=/' }));
  const [first, second] = [await w.run(), await w.run()];
  // A rehearsal shows that there was one, not what it says.
  expect([first.reply.headers['set-cookie'], second.reply.headers['set-cookie']]).toEqual(['***', undefined]);
  expect(w.sent).toHaveLength(1);
});

describe('who gets whose reply', () => {
  const step = (more: Record<string, unknown> = {}) => ({
    kind: 'remember' as const,
    seconds: 60,
    flow: [{ kind: 'call' as const, backend: 'one' }],
    ...more,
  });
  const twice = async (first: Headers, second: Headers, more: Record<string, unknown> = {}) => {
    const w = world(api([step(more)]), (r) => json({ whose: r.headers.authorization ?? r.headers.cookie ?? 'nobody' }));
    const a = await w.run({ headers: first });
    const b = await w.run({ headers: second });
    return { asked: w.sent.length, a: a.reply.body, b: b.reply.body, status: b.reply.headers['cache-status'] };
  };
  type Headers = Record<string, string>;

  test.each(['authorization', 'cookie', 'proxy-authorization', 'x-api-key'])(
    'a request with %s, which no guard took, neither fills nor gets what is shared',
    async (name) => {
      expect(await twice({ [name]: 'ann' }, { [name]: 'ben' })).toMatchObject({
        asked: 2,
        status: 'hinge; fwd=bypass',
      });
      expect((await twice({ [name]: 'ann' }, {})).asked).toBe(2);
      expect((await twice({}, { [name]: 'ann' })).asked).toBe(2);
      expect((await twice({}, {})).asked).toBe(1);
    },
  );

  test('a key that names the credentials tells callers apart', async () => {
    const key = { key: ['headers.authorization'] };
    expect((await twice({ authorization: 'ann' }, { authorization: 'ben' }, key)).asked).toBe(2);
    expect((await twice({ authorization: 'ann' }, { authorization: 'ann' }, key)).asked).toBe(1);
    // It names one of them, not the other.
    expect((await twice({ cookie: 'ann' }, { cookie: 'ann' }, key)).asked).toBe(2);
  });

  test('what callers forge about their way here does not reach the backend whose reply is kept', async () => {
    const w = world(api([step()]), (r) => json(r.headers));
    await w.run({ headers: { 'x-forwarded-host': 'evil.test', forwarded: 'host=evil.test', 'x-note': 'kept' } });
    expect(w.sent[0]!.headers).not.toHaveProperty('x-forwarded-host');
    expect(w.sent[0]!.headers).not.toHaveProperty('forwarded');
    expect(w.sent[0]!.headers).toHaveProperty('x-note', 'kept');
  });

  test('a reply that depends on a field is for requests with the same one, also where its words are not obeyed', async () => {
    const w = world(api([step()]), (r) => ({
      status: 200,
      body: json({ at: r.headers['accept-language'] ?? '' }).body,
      headers: { 'content-type': 'application/json', vary: 'accept-language' },
    }));
    await w.run({ headers: { 'accept-language': 'da' } });
    const other = await w.run({ headers: { 'accept-language': 'de' } });
    expect(other.reply.body).toEqual({ at: 'de' });
  });

  test('a finding says so while the flow is designed', () => {
    expect(checkDocument(api([step()])).map((f) => f.code)).toContain('HNG-336');
    expect(checkDocument(api([step({ key: ['headers.authorization'] })])).map((f) => f.code)).not.toContain('HNG-336');
  });
});
