import { describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  compileApi,
  judgeCase,
  runCases,
  unreachedLines,
  type CaseDocument,
  type Rehearsal,
} from '../src';
import { draft } from './flow-world';
import { answer, api, call } from './small-world';

const BACKEND = Object.keys(draft().backends!)[0]!;

const never = {
  clock: { now: () => performance.now() },
  backends: { send: () => Promise.reject(new Error('a real backend was asked')) },
};
const one = async (c: CaseDocument, document = draft()) =>
  (await runCases(compileApi(document), [c], { ports: never }))[0]!;

describe('stubs stand for backends', () => {
  const BERTH = {
    number: 'N-07',
    quay: 'q',
    lengthMetres: 118.5,
    depthMetres: 7.1,
    surface: 'stone',
    service: [],
    closedUntil: null,
  };
  const get = (stub: object): CaseDocument => ({
    name: 'c',
    operation: 'GetBerth',
    request: { path: { id: 'N-07' }, headers: { officeCode: 'TH-22' } },
    stubs: [{ backend: BACKEND, ...stub }],
  });

  test('a JSON value is written as the SOAP reply that the contract describes', async () => {
    const r = await one({ ...get({ body: { berth: BERTH } }), expect: { status: 200, body: { berth: BERTH } } });
    expect(r).toMatchObject({ passed: true, misfits: [] });
  });

  test('a declared fault, a recorded answer, a failure, a delay', async () => {
    const fault = get({ fault: { name: 'UnknownBerth', reason: 'no such berth', detail: { berth: 'N-07' } } });
    expect((await one({ ...fault, operation: 'GetBerth' })).status).toBe(400);
    const recorded = get({ status: 500, body: 'down', headers: { 'content-type': 'text/plain' } });
    expect((await one(recorded)).status).toBe(502);
    expect((await one(get({ failure: 'unreachable' }))).status).toBe(503);
    const document = draft();
    document.backends![BACKEND]!.timeoutMs = 20;
    expect((await one(get({ delayMs: 5_000 }), document)).status).toBe(504);
  });

  test('a call that no stub answers goes out; the failure is told', async () => {
    const r = await one({ ...get({}), stubs: [{ backend: BACKEND, operation: 'FindBerths', body: {} }] });
    expect(r.passed).toBe(false);
    expect(r.status).toBe(500);
  });

  test('stubs answer by path, by content, and so many times', async () => {
    const document = api([
      call('one', { path: '/a', name: 'a' }),
      call('one', { path: '/b', name: 'b' }),
      call('one', { path: '/b', name: 'c' }),
      answer('[steps.a.body, steps.b.body, steps.c.body]'),
    ]);
    const stubs = [
      { backend: 'one', when: { path: '/a' }, body: 1 },
      { backend: 'one', times: 1, body: 2 },
      { backend: 'one', body: 3 },
    ];
    const r = await one(
      { name: 'c', operation: 'Do', request: { path: { id: '1' } }, stubs, expect: { body: [1, 2, 3] } },
      document,
    );
    expect(r.misfits).toEqual([]);
  });
});

describe('what a case wants', () => {
  const judge = (expected: CaseDocument['expect'], body: unknown, status = 200) =>
    judgeCase({ name: 'c', operation: 'o', request: {}, expect: expected }, {
      reply: { status, headers: { 'x-a': '1' }, body, mediaType: 'application/json', bytes: 1 },
      steps: [
        { at: '/0', taken: true },
        { at: '/1', taken: false },
      ],
    } as unknown as Rehearsal).map((m) => `${m.at}: ${m.wanted}, not ${m.found}`);

  test.each([
    [undefined, {}, 404, []],
    [undefined, {}, 500, ['status: no failure, not 500']],
    [{ status: 201 }, {}, 200, ['status: 201, not 200']],
    [{ headers: { 'X-A': '2', 'x-b': '1' } }, {}, 200, ['header X-A: 2, not 1', 'header x-b: 1, not nothing']],
    [{ body: { a: [1, { b: 2 }] } }, { a: [1, { b: 2 }] }, 200, []],
    [{ body: { a: [1, { b: 2 }] } }, { a: [1, { b: 3 }, 4] }, 200, ['/a/1/b: 2, not 3', '/a/2: nothing, not 4']],
    [{ body: { a: 1 } }, {}, 200, ['/a: 1, not nothing']],
    [{ body: { a: null } }, { a: 0 }, 200, ['/a: null, not 0']],
    [
      { body: { id: 1, list: [{ at: 1 }, { at: 2 }] }, ignore: ['/id', '/list/*/at'] },
      { id: 2, list: [{ at: 3 }, { at: 4 }] },
      200,
      [],
    ],
    [
      {
        parts: [
          { at: '/a/b', is: 1 },
          { at: '/c', exists: false },
          { at: '/d', matches: '^\\d+$' },
        ],
      },
      { a: { b: 1 }, d: '12' },
      200,
      [],
    ],
    [
      {
        parts: [
          { at: '/a', is: 1 },
          { at: '/d', matches: '^x' },
        ],
      },
      { a: 2, d: 'y' },
      200,
      ['/a: 1, not 2', '/d: to match ^x, not y'],
    ],
    [
      {
        steps: [
          { at: '/0', taken: true },
          { at: '/1', taken: true },
        ],
      },
      {},
      200,
      ['step /1: to run, not it did not'],
    ],
  ])('%j', (expected, body, status, misfits) => {
    expect(judge(expected, body, status)).toEqual(misfits);
  });
});

test('lines that no case reaches are told', async () => {
  const document = api([
    {
      kind: 'choose',
      lines: [
        { name: 'long', when: 'path.id = "l"', flow: [answer('1')] },
        { name: 'short', when: 'path.id = "s"', flow: [answer('2')] },
      ],
      otherwise: [{ kind: 'attempt', flow: [call('one')], failures: [{ on: ['any'], flow: [answer('3')] }] }],
    },
  ]);
  const cases = ['l', 'x'].map((id) => ({
    name: id,
    operation: 'Do',
    request: { path: { id } },
    stubs: [{ backend: 'one', body: {} }],
  }));
  const told: string[] = [];
  const results = await runCases(compileApi(document), cases, { ports: never }, (r, n) =>
    told.push(`${n} ${r.name} ${r.status}`),
  );
  expect(told).toEqual(['1 l 200', '2 x 200']);
  expect(unreachedLines(document, results).map((l) => `${l.name} ${l.at}`)).toEqual([
    'short /0/lines/1/flow',
    'on any /0/otherwise/0/failures/0/flow',
  ]);
});

test('cases and examples that do not fit are findings', () => {
  const document = api([answer('1')], {
    reply: {
      mediaType: 'application/json',
      schema: { type: 'integer' },
      examples: { good: { value: 1 }, bad: { value: 'x' } },
    },
  });
  document.cases = [
    {
      name: 'a',
      operation: 'Do',
      request: { path: { id: '1' }, query: { extra: 1 } },
      door: 'none',
      stubs: [{ backend: 'zero' }],
    },
  ];
  expect(checkDocument(document).map((f) => `${f.code} ${f.place.pointer}`)).toEqual([
    'HNG-302 /cases/0/door',
    'HNG-302 /cases/0/stubs/0/backend',
    'HNG-322 /cases/0/request/query/extra',
    'HNG-324 /operations/Do/reply/examples/bad',
  ]);
});
