import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import jsonata from 'jsonata';
import { compileExpression } from '../src';
import { ERRORS, FUNCTIONS, OPERATORS, PATHS } from './expressions';

/**
 * The compiled subset against the `jsonata` library, on the functions and operators that its documentation lists (docs.jsonata.org, the
 * pages on paths, operators, programming constructs and the function library; expressions are our own). Every expression here must be
 * compiled: one that fell back to the library would compare the library with itself, so that fails the test.
 */
const input = {
  body: {
    name: 'Alca',
    note: '  two   spaces ',
    code: 'TH-22/7',
    n: 7,
    half: 2.5,
    neg: -3.2,
    yes: true,
    none: null,
    tags: ['a', 'b', 'a'],
    nested: [[1, 2], [3]],
    one: [5],
    empty: [],
    nothing: {},
    berths: [
      {
        id: 'N-07',
        depth: 7.1,
        quay: { name: 'North' },
        services: ['water', 'power'],
        calls: [
          { ship: 'Alca', tons: 10 },
          { ship: 'Uria', tons: 20 },
        ],
      },
      { id: 'S-01', depth: 4, quay: { name: 'South' }, services: [], calls: [{ ship: 'Alca', tons: 5 }] },
      { id: 'N-02', depth: 9.5, quay: { name: 'North' }, services: ['water'], calls: [] },
    ],
    mixed: [1, 'x', null, { a: 1 }, [2, 3]],
    unicode: 'a🚢b',
  },
  vars: { rate: 1.5 },
};

const lines = (text: string): string[] =>
  text.split('\n').map((l) => l.replaceAll('\\`', '`').replaceAll('\\\\', '\\'));
const shown = (v: unknown): unknown =>
  v === undefined || typeof v === 'function' ? '(nothing)' : JSON.parse(JSON.stringify(v));

async function outcome(run: () => unknown) {
  try {
    return { value: shown(await run()) };
  } catch (e) {
    return { code: (e as { code: string }).code };
  }
}

/** The library evaluates the members of an object at once: which of two mistakes it tells is chance, so generated ones count as equal. */
async function agree(source: string, anyMistake = false): Promise<void> {
  const e = compileExpression(source);
  expect({ source, compiled: e.compiled, why: e.why }).toEqual({ source, compiled: true, why: undefined });
  const want = await outcome(() => jsonata(source).evaluate(input));
  const have = await outcome(() => e.evaluate(input));
  if (anyMistake && 'code' in want && 'code' in have) return;
  expect({ source, ...have }).toEqual({ source, ...want });
}

describe.each([
  ['paths', PATHS],
  ['operators and programming constructs', OPERATORS],
  ['functions', FUNCTIONS],
  ['mistakes, by the code of the error', ERRORS],
])('%s', (_name, text) => {
  test.each(lines(text))('%s', (source) => agree(source));
});

test('generated expressions with functions, predicates, lambdas and variables, seed 2026', async () => {
  const number = fc.constantFrom(
    '1',
    '2.5',
    'body.n',
    'body.half',
    '$count(body.berths)',
    '$sum(body.berths.depth)',
    'body.missing',
  );
  const text = fc.constantFrom(
    '"x"',
    'body.name',
    'body.code',
    '$uppercase(body.name)',
    'body.missing',
    'body.berths[0].id',
  );
  const list = fc.constantFrom(
    'body.tags',
    'body.berths',
    'body.berths.depth',
    'body.nested',
    'body.empty',
    'body.one',
    '[1..4]',
    'body.berths.calls',
    'body.missing',
  );
  const { any } = fc.letrec<{ any: string; num: string; str: string; arr: string }>((tie) => ({
    num: fc.oneof(
      { maxDepth: 3 },
      number,
      fc.tuple(tie('num'), fc.constantFrom('+', '-', '*', '/', '%'), tie('num')).map(([a, o, b]) => `(${a} ${o} ${b})`),
      fc.tuple(fc.constantFrom('$sum', '$max', '$count', '$average'), tie('arr')).map(([f, a]) => `${f}(${a})`),
      tie('num').map((n) => `$round(${n}, 1)`),
    ),
    str: fc.oneof(
      { maxDepth: 3 },
      text,
      fc.tuple(tie('str'), tie('any')).map(([a, b]) => `(${a} & ${b})`),
      fc.tuple(tie('str'), tie('num')).map(([a, n]) => `$substring(${a}, ${n})`),
      tie('str').map((s) => `$replace(${s}, "a", "b")`),
      tie('arr').map((a) => `$join($map(${a}, function($v){$string($v)}), ";")`),
    ),
    arr: fc.oneof(
      { maxDepth: 3 },
      list,
      fc.tuple(tie('arr'), fc.integer({ min: -2, max: 2 })).map(([a, i]) => `${a}[${i}]`),
      tie('arr')
        .map((a) => `${a}[$ > 2 or $type($) = "object"]`)
        .filter(() => true),
      tie('arr').map((a) => `$filter(${a}, function($v, $i){$i < 2})`),
      tie('arr').map((a) => `$map(${a}, function($v){[$v, 1]})`),
      fc.tuple(tie('arr'), tie('arr')).map(([a, b]) => `$append(${a}, ${b})`),
      tie('arr').map((a) => `$reverse(${a})`),
      tie('arr').map((a) => `$distinct(${a})`),
      tie('arr').map((a) => `($x := ${a}; $x[])`),
    ),
    any: fc.oneof(
      { maxDepth: 3 },
      tie('num'),
      tie('str'),
      tie('arr'),
      fc.tuple(tie('any'), tie('any')).map(([a, b]) => `{"a": ${a}, "b": ${b}}`),
      fc.tuple(tie('any'), tie('any'), tie('any')).map(([a, b, c]) => `(${a} ? ${b} : ${c})`),
      tie('arr').map((a) => `${a}.{"v": $, "k": $type($)}`),
      fc
        .tuple(tie('any'), fc.constantFrom('=', '!=', 'and', 'or', 'in'), tie('any'))
        .map(([a, o, b]) => `(${a} ${o} ${b})`),
    ),
  }));
  await fc.assert(
    fc.asyncProperty(any, (source) => agree(source, true)),
    { seed: 2026, numRuns: 1200 },
  );
}, 60_000);
