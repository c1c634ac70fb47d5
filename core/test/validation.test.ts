import { describe, expect, test } from '@jest/globals';
import { Body, type BackendReply, type BackendRequest, type StepDocument } from '../src';
import { api, call, json, world } from './small-world';

/** Validation of what is remembered (RFC 9111 §4.3), with the precondition fields of RFC 9110 §13.1. */
const remember = (more: object = {}, flow: StepDocument[] = [call('one')]): StepDocument[] => [
  { kind: 'remember', seconds: 60, obey: true, flow, ...more } as StepDocument,
];
const ETAG = 'W/"xyzzy"';
const FIRST = { 'cache-control': 'max-age=20', etag: ETAG };
const unchanged = (headers: Record<string, string> = {}): BackendReply => ({
  status: 304,
  headers,
  body: Body.empty(),
});

/** A backend that answers 304 to whoever asks by its entity tag. */
function backend(flow = remember(), first: Record<string, string> = FIRST, then: Record<string, string> = {}) {
  let version = 1;
  const tag = () => (version === 1 ? first.etag : `"v${version}"`);
  const w = world(api(flow), (r: BackendRequest) =>
    tag() !== undefined && r.headers['if-none-match'] === tag()
      ? unchanged({ etag: tag()!, ...then })
      : json({ version, asked: w.sent.length }, 200, version === 1 ? first : { ...first, etag: tag()! }),
  );
  const ask = async (headers: Record<string, string> = {}) => {
    const { reply } = await w.run({ path: { id: 'a' }, headers } as never);
    return [reply.status, reply.body, reply.headers['cache-status'], reply.headers.age] as const;
  };
  return { w, ask, change: () => void version++, sent: (i: number) => w.sent[i]!.headers };
}

describe('by an entity tag', () => {
  test('what is stale is asked by; 304 makes it fresh anew, with an age of nothing (§4.3.4)', async () => {
    const b = backend();
    expect(await b.ask()).toEqual([200, { version: 1, asked: 1 }, 'hinge; fwd=uri-miss; stored; ttl=20', undefined]);
    b.w.wait(25_000);
    // RFC 9211 §2.2, §2.3: it went forward because it was stale, and the backend answered 304.
    expect(await b.ask()).toEqual([
      200,
      { version: 1, asked: 1 },
      'hinge; fwd=stale; fwd-status=304; stored; ttl=20',
      undefined,
    ]);
    expect(b.sent(0)).not.toHaveProperty('if-none-match');
    expect(b.sent(1)['if-none-match']).toBe(ETAG);
    b.w.wait(5_000);
    expect((await b.ask()).slice(2)).toEqual(['hinge; hit; ttl=15', '5']);
    expect(b.w.sent).toHaveLength(2);
  });

  test('what has changed comes whole, and is asked by from then on', async () => {
    const b = backend();
    await b.ask();
    b.change();
    b.w.wait(25_000);
    expect((await b.ask()).slice(1, 3)).toEqual([{ version: 2, asked: 2 }, 'hinge; fwd=stale; stored; ttl=20']);
    b.w.wait(25_000);
    expect((await b.ask())[1]).toEqual({ version: 2, asked: 2 });
    expect(b.sent(2)['if-none-match']).toBe('"v2"');
  });

  test('no-cache is kept to be asked by each time (§5.2.2.4), also by many at once', async () => {
    const b = backend(remember(), { 'cache-control': 'no-cache', etag: ETAG });
    expect((await b.ask())[2]).toBe('hinge; fwd=uri-miss; stored; ttl=0');
    expect((await b.ask()).slice(1, 3)).toEqual([
      { version: 1, asked: 1 },
      'hinge; fwd=stale; fwd-status=304; stored; ttl=0',
    ]);
    b.change();
    expect((await Promise.all([b.ask(), b.ask()])).map((r) => (r[1] as { version: number }).version)).toEqual([2, 2]);
  });

  test('no-store is not kept, whatever its tag', async () => {
    const b = backend(remember(), { 'cache-control': 'no-store', etag: ETAG });
    await b.ask();
    await b.ask();
    expect(b.sent(1)).not.toHaveProperty('if-none-match');
  });

  test('the 304 says how long from now on (§3.2)', async () => {
    const b = backend(remember(), FIRST, { 'cache-control': 'max-age=45' });
    await b.ask();
    b.w.wait(25_000);
    expect((await b.ask())[2]).toBe('hinge; fwd=stale; fwd-status=304; stored; ttl=45');
  });

  test('an hour behind its end nothing is left to ask by', async () => {
    const b = backend();
    await b.ask();
    b.w.wait(3_700_000);
    expect((await b.ask())[2]).toBe('hinge; fwd=uri-miss; stored; ttl=20');
    expect(b.sent(1)).not.toHaveProperty('if-none-match');
  });
});

test('by a date (§4.3.1), where there is no tag', async () => {
  const date = 'Tue, 15 Nov 1994 12:45:26 GMT';
  const w = world(api(remember()), (r) =>
    r.headers['if-modified-since'] === date
      ? unchanged()
      : json({ asked: w.sent.length }, 200, { 'cache-control': 'max-age=20', 'last-modified': date }),
  );
  await w.run({ path: { id: 'a' } });
  w.wait(25_000);
  const { reply } = await w.run({ path: { id: 'a' } });
  expect([reply.body, reply.headers['cache-status']]).toEqual([
    { asked: 1 },
    'hinge; fwd=stale; fwd-status=304; stored; ttl=20',
  ]);
});

describe('the caller’s own conditions', () => {
  test('stay before what is remembered: the backend is asked for the whole', async () => {
    const b = backend();
    const [status, body] = await b.ask({ 'if-none-match': ETAG, range: 'bytes=0-1' });
    expect([status, body]).toEqual([200, { version: 1, asked: 1 }]);
    expect(b.sent(0)).not.toHaveProperty('range');
  });

  test('where they go on, an answer to them is not kept for others (§3)', async () => {
    const b = backend(remember({ obey: undefined }));
    expect((await b.ask({ 'if-none-match': ETAG }))[0]).toBe(304);
    expect((await b.ask()).slice(0, 2)).toEqual([200, { version: 1, asked: 2 }]);
  });
});

test('the result of a map stays as it was made; steps behind the call are not run again', async () => {
  const flow: StepDocument[] = [
    call('one'),
    { kind: 'map', to: 'reply', whole: '{"v": body.version, "at": body.asked}' },
  ];
  const b = backend(remember({}, flow));
  expect((await b.ask())[1]).toEqual({ v: 1, at: 1 });
  b.w.wait(25_000);
  expect((await b.ask()).slice(0, 3)).toEqual([
    200,
    { v: 1, at: 1 },
    'hinge; fwd=stale; fwd-status=304; stored; ttl=20',
  ]);
});

test.each<[string, StepDocument[]]>([
  ['two calls', [call('one'), call('one')]],
  ['a branch', [{ kind: 'choose', lines: [], otherwise: [call('one')] } as unknown as StepDocument]],
])('%s: the answer of one backend does not make the result, and nobody is asked by it', async (_what, flow) => {
  const b = backend(remember({}, flow));
  await b.ask();
  b.w.wait(25_000);
  await b.ask();
  for (const r of b.w.sent) expect(r.headers).not.toHaveProperty('if-none-match');
});

test('a breaker counts a 304 as a success, and a rehearsal shows it as none of the failures', async () => {
  const flow = [call('one', { breaker: { failures: 1, seconds: 30 } as never })];
  const b = backend(remember({}, flow));
  await b.ask();
  b.w.wait(25_000);
  const r = await b.w.run({ path: { id: 'a' } });
  expect(r.reply.status).toBe(200);
  expect(r.steps.filter((s) => 'error' in s && s.error !== undefined)).toEqual([]);
  b.w.wait(25_000);
  expect((await b.ask())[0]).toBe(200);
});
