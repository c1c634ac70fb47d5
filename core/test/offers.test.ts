import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  caseForLine,
  exampleCases,
  compileApi,
  MemoryStore,
  OPERATORS,
  recordedStubs,
  rehearseCase,
  runCases,
  unreachedLines,
  type CaseDocument,
  type Condition,
  type Operator,
  type StepDocument,
} from '../src';
import { answer, api } from './small-world';

const now = () => 0;
const backends = { send: () => Promise.reject(new Error('no backend here')) };
const world = () => ({ ports: { clock: { now }, backends, store: new MemoryStore(now) } });
const document = (flow: StepDocument[]) => ({
  ...api(flow),
  backends: { tow: { address: 'http://tow.example' }, barge: { address: 'http://barge.example' } },
});
const base = (d: ReturnType<typeof document>): CaseDocument => ({
  name: 'sample',
  operation: Object.keys(d.operations)[0]!,
  request: { path: { id: '7' }, query: { kind: 'x' }, body: { vessel: { metres: 5 } } },
});
const choose = (conditions: Condition[], otherwise: StepDocument[] = [answer('"none"')]): StepDocument => ({
  kind: 'choose',
  lines: conditions.map((when, n) => ({ when, flow: [answer(String(n))] })),
  otherwise,
});

/** Every line that no case reaches gets one; the engine then says whether it is taken. */
async function offered(flow: StepDocument[]) {
  const d = document(flow);
  const sample = base(d);
  const results = await runCases(compileApi(d), [sample], world());
  const lines = unreachedLines(d, results);
  const offers = lines.map((l) => caseForLine(d, sample.operation, l.at, sample));
  const after = await runCases(
    compileApi(d),
    offers.map((o) => o.made),
    world(),
  );
  return { lines, offers, after, passed: after.map((r) => r.passed) };
}

describe('a case for a line', () => {
  test.each<[string, Condition[]]>([
    [
      'rows',
      [
        { of: 'query.kind', is: 'equals', value: 'barge' },
        { of: 'headers.`x-office`', is: 'exists' },
      ],
    ],
    [
      'expressions',
      ['query.kind = "barge"', 'body.vessel.metres >= 120', 'headers.`x-office` = "TH" and query.kind = "tug"'],
    ],
    [
      'lists and negations',
      ['query.kind in ["a", "b"]', '$not($exists(query.kind))', '$exists(query.kind) and body.loaded'],
    ],
    ['several at once', [[{ of: 'query.kind', is: 'startsWith', value: 'q' }, 'body.vessel.metres < 3']]],
    ['plans', [{ of: 'plan.values.tides', is: 'equals', value: 2 }]],
  ])('%s', async (_words, conditions) => {
    const { passed, offers, lines } = await offered([choose(conditions)]);
    expect(lines.length).toBeGreaterThan(0);
    expect(offers.flatMap((o) => o.open)).toEqual([]);
    expect(passed).toEqual(lines.map(() => true));
  });

  test('through variables, inside another line, and behind another step', async () => {
    const inner = choose(['vars.metres > 100']);
    const { passed, lines } = await offered([
      { kind: 'set', values: { metres: 'body.vessel.metres' } },
      choose(['query.kind = "barge"'], [{ kind: 'set', values: { a: '1' } }, inner]),
    ]);
    expect(lines.map((l) => l.at)).toEqual(['/1/lines/0/flow', '/1/otherwise/1/lines/0/flow']);
    expect(passed).toEqual([true, true]);
    const within = await offered([choose(['query.kind = "barge"']), { kind: 'set', values: { a: '1' } }]);
    expect(within.passed).toEqual([true]);
  });

  test('a failure of a backend is arranged by a stub', async () => {
    const call: StepDocument = { kind: 'call', backend: 'tow', path: '/order', method: 'GET' } as StepDocument;
    const { passed, lines } = await offered([
      {
        kind: 'attempt',
        flow: [call],
        failures: [
          { on: ['timeout'], flow: [answer('"late"')] },
          { on: ['503'], flow: [answer('"busy"')] },
          { on: ['any'], flow: [answer('"other"')] },
        ],
      },
    ]);
    expect(lines.length).toBeGreaterThanOrEqual(2);
    expect(passed).toEqual(lines.map(() => true));
  });

  test('what the request does not decide is told, not guessed', async () => {
    const d = document([choose(['$now() > "2030"', 'vars.unknown = 1'])]);
    const { made, open } = caseForLine(d, base(d).operation, '/0/lines/0/flow', base(d));
    expect(open).toEqual(['$now() > "2030"']);
    expect(made.note).toContain('$now()');
    expect(caseForLine(d, base(d).operation, '/9/lines/0/flow', base(d)).made.request).toEqual(base(d).request);
  });

  test('any row on any place is taken, judged by the engine', async () => {
    const place = fc.constantFrom('query.q', 'headers.`x-h`', 'body.a', 'body.vessel.name', 'path.id');
    const literal = fc.oneof(fc.integer({ min: -50, max: 50 }), fc.stringMatching(/^[a-z]{1,6}$/));
    const operators = Object.keys(OPERATORS).filter((o) => o !== 'matches') as Operator[];
    const row = fc
      .record({ of: place, is: fc.constantFrom(...operators), value: literal })
      .filter((r) => !(r.of === 'path.id' && r.is === 'missing'))
      // Text before the first letter: nothing in a header or a path is less than that.
      .filter((r) => typeof r.value === 'number' || !['lessThan', 'atMost', 'moreThan', 'atLeast'].includes(r.is))
      .map((r) => (r.is === 'oneOf' ? { ...r, value: [r.value, 'z'] } : r));
    await fc.assert(
      fc.asyncProperty(row, async (r) => {
        const { value, ...bare } = r;
        const condition = r.is === 'exists' || r.is === 'missing' ? bare : { ...bare, value };
        const { passed, offers } = await offered([choose([condition])]);
        // A parameter of the path is always there.
        if (r.of !== 'path.id' || r.is !== 'exists') {
          expect(offers.flatMap((o) => o.open)).toEqual([]);
          expect(passed).not.toContain(false);
        }
      }),
      { seed: 7, numRuns: 300 },
    );
  });
});

test('cases from the examples of the contract: by name, with what must come back', async () => {
  const d = document([{ kind: 'reply', example: 'auto' }]);
  const [id] = Object.keys(d.operations);
  const body = { type: 'object' as const, properties: { n: { type: 'integer' as const } } };
  const operation = {
    ...d.operations[id!]!,
    method: 'POST' as const,
    request: {
      mediaType: 'application/json',
      schema: body,
      examples: { one: { value: { n: 1 } }, alone: { value: { n: 9 } } },
    },
    reply: {
      status: 201,
      mediaType: 'application/json',
      schema: body,
      examples: { one: { value: { n: 11 } }, asked: { value: { n: 5 }, status: 202, when: 'query.kind = "asked"' } },
    },
  };
  const whole = { ...d, operations: { [id!]: operation } };
  const made = exampleCases(whole, id!);
  expect(made.map((c) => [c.name, c.request.body, c.expect])).toEqual([
    ['one', { n: 1 }, { status: 201, body: { n: 11 } }],
    ['alone', { n: 9 }, undefined],
    ['asked', expect.anything(), { status: 202, body: { n: 5 } }],
  ]);
  expect(made[2]!.request.query).toEqual({ kind: 'asked' });
  const results = await runCases(compileApi(whole), made, world());
  expect(results.map((r) => r.passed)).toEqual([true, true, true]);
  expect(exampleCases({ ...whole, cases: made }, id!)).toEqual([]);
  expect(exampleCases(whole, 'nothing')).toEqual([]);
});

test('stubs of what came: answers with their text, failures as failures', async () => {
  const call = (backend: string): StepDocument => ({ kind: 'call', backend, path: '/x' }) as StepDocument;
  const d = document([
    { kind: 'attempt', flow: [call('tow')], failures: [{ on: ['any'], flow: [] }] },
    call('barge'),
    answer('body'),
  ]);
  const c: CaseDocument = {
    ...base(d),
    stubs: [
      { backend: 'tow', failure: 'timeout' },
      { backend: 'barge', status: 201, headers: { 'content-type': 'application/json' }, body: '{"a":1}' },
    ],
  };
  const r = await rehearseCase(compileApi(d), c, world());
  const stubs = recordedStubs(d, c.operation, r.steps);
  expect(stubs).toEqual([
    { backend: 'tow', failure: 'timeout' },
    { backend: 'barge', status: 201, headers: { 'content-type': 'application/json' }, body: '{"a":1}' },
  ]);
  const again = await rehearseCase(compileApi(d), { ...c, stubs }, world());
  expect(again.reply).toEqual(r.reply);
});
