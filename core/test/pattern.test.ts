import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { readOpenApi } from '../src';
import { compileExpression } from '../src/expression';
import { costOf, expressionMatcher } from '../src/pattern';
import { ValidatorSet } from '../src/schema';

/** ECMA-262 itself (the engine of this runtime) is the judge, where it comes to an end. */
function native(source: string, text: string): string {
  let expression: RegExp;
  try {
    expression = new RegExp(source, 'u');
  } catch {
    expression = new RegExp(source);
  }
  return expression.test(text) ? 'match' : 'mismatch';
}

describe('regular expressions that are looked for by an automaton: found as by the engine itself', () => {
  test.each([
    ['(a|b)*c', ['c', 'xabcx', 'ab', '']],
    ['^(a+)+$', ['aaa', 'aab', '', 'baa']],
    ['(^a|b$)+', ['ax', 'xb', 'xax', 'xbx', '']],
    ['(a$|b)*c', ['ac', 'bc', 'a', 'bac']],
    ['^(?:[a-z]+-?)+$', ['a-b-c', 'a--b', '-a', '']],
    ['(?<year>\\d+|x)+?z', ['2026z', 'xz', '2026', 'z']],
    ['(.|\\n)*é', ['a\né', 'é', 'e']],
    ['^(.*)*$', ['ab', 'a\nb', 'a\u2028b', '']],
    ['([^\\s]+\\s)*end', ['a b end', 'end', 'en d']],
    ['(\\p{Lu}+|\\p{Nd}+)*!', ['Ä1!', '!', 'ä1']],
    ['(😀|😂)+x', ['😀😂x', '\ud83dx', 'x']],
    ['^([^a]|b)+$', ['😀', 'xb', 'xa']],
    // Without the flag u, as the field writes them (ECMA-262 annex B).
    ['^([\\w\\-\\_]+\\.)+\\w+\\@x$', ['a-b.c_d@x', 'a@x', 'a.b@y']],
    ['^(\\.|[^.])+\\_$', ['._', '😀_', '_']],
    ['(a{2,3}){2}b|c*d', ['aaaab', 'aaab', 'ccd', 'xd', 'aaa']],
    ['(a|b)*$', ['c', 'ab', '']],
    ['(|a)+b', ['b', 'aab', 'c']],
    ['([]|a)+', ['a', 'b']],
    ['([^]|a)+b', ['\nb', 'b']],
    ['(\\u0061|\\x62|\\cJ|\\0)+c', ['ac', 'bc', '\nc', '\0c', 'c']],
  ])('%s', (source, texts) => {
    // It is looked for by the automaton: the engine would be too dear for a long text.
    expect(costOf(new RegExp(source))(1_000_000)).toBe('high');
    const matcher = expressionMatcher(source)!;
    expect(texts.map((t) => [t, matcher(t)])).toEqual(texts.map((t) => [t, native(source, t)]));
  });

  const leaf = fc.constantFrom('a', 'b', '.', '[ab]', '[^a]', '\\d', '\\w', '\\S', '^', '$', '(?:)', '\\u{61}');
  const { tree } = fc.letrec<{ tree: string; group: string }>((tie) => ({
    tree: fc.oneof({ depthSize: 'small' }, leaf, tie('group')),
    group: fc.oneof(
      fc.tuple(tie('tree'), tie('tree')).map(([a, b]) => a + b),
      fc.tuple(tie('tree'), tie('tree')).map(([a, b]) => `(${a}|${b})`),
      fc
        .tuple(tie('tree'), fc.constantFrom('?', '*', '+', '{2}', '{1,2}', '{0,3}', '{2,}', '*?', '+?'))
        .map(([a, q]) => `(?:${a})${q}`),
    ),
  }));
  const text = fc.string({ unit: fc.constantFrom('a', 'b', '1', ' ', '\n', '😀'), maxLength: 7 });
  test('property: made-up expressions and texts, also inside of a repetition that leaves them to the automaton', () => {
    fc.assert(
      fc.property(tree, fc.array(text, { minLength: 5, maxLength: 5 }), (source, texts) => {
        for (const s of [source, `(?:b|${source})*1`, `^(?:b|${source})*$`])
          expect([s, texts.map((t) => [t, expressionMatcher(s)!(t)])]).toEqual([
            s,
            texts.map((t) => [t, native(s, t)]),
          ]);
      }),
      { seed: 29112026, numRuns: 1_500 },
    );
  });
});

describe('what would keep a backtracking engine busy', () => {
  const long = 'a'.repeat(100_000);
  test.each([
    ['^(a+)+$', `${long}!`, 'mismatch'],
    ['^(a|a)*$', `${long}!`, 'mismatch'],
    ['^(\\w+\\s?)*$', `${long}!`, 'mismatch'],
    [
      '^([a-zA-Z0-9])(([\\-.]|[_]+)?([a-zA-Z0-9]+))*(@){1}[a-z0-9]+[.]{1}(([a-z]{2,3})|([a-z]{2,3}[.]{1}[a-z]{2,3}))$',
      long,
      'mismatch',
    ],
    ['(a*)*b', long, 'mismatch'],
    ['\\s+$', `${' '.repeat(100_000)}x`, 'mismatch'],
    ['.*.*.*x', long, 'mismatch'],
    ['^.*,.*,.*$', long, 'mismatch'],
    ['(x+x+)+y', `${'x'.repeat(100_000)}y`, 'match'],
    // No automaton does these: they are looked for in time.
    ['^(?=(a+)+$)', `${long}!`, 'unknown'],
    ['^(a+)+\\b!!$', `${long}!`, 'unknown'],
    ['^(a*)*\\1$', `${'a'.repeat(60)}!`, 'unknown'],
    ['^(?=.*[A-Z])(?=.*\\d).{8,}$', `${long}A1`, 'match'],
  ])('%s on %#', (source, text, want) => {
    expect(expressionMatcher(source)!(text)).toBe(want);
  });

  test('a schema says so of the text', () => {
    const rule = new ValidatorSet({}).compile({ type: 'string', pattern: '^(?=(a+)+$)' });
    const faults: unknown[] = [];
    rule(`${long}!`, '/name', (f) => faults.push(f));
    rule('aaa', '/short', (f) => faults.push(f));
    expect(faults).toEqual([
      {
        pointer: '/name',
        code: 'pattern',
        detail: 'must match ^(?=(a+)+$), and this text takes too long to hold against it',
      },
    ]);
  });

  test('an expression ends with an error that names the pattern, and quick ones go on as before', async () => {
    const run = (source: string, text: string) => compileExpression(source).evaluate({ text });
    await expect(async () => run('$contains(text, /^(a+)+$/)', `${long}!`)).rejects.toThrow(
      'the pattern /^(a+)+$/ takes longer than 250 ms',
    );
    expect(await run('$replace(text, /(\\w+)+@x/, "y")', 'ab@x cd@x')).toBe('y y');
    expect(await run('$count($match(text, /\\s+/))', 'a b '.repeat(10_000))).toBe(20_000);
    expect(await run('$count($split(text, /, */))', 'a,  b,'.repeat(1_000))).toBe(2_001);
    expect(await run('$match(text, /(\\w+)@/).groups', 'some@x '.repeat(300))).toHaveLength(300);
  });

  test('it is known beforehand what can cost much', () => {
    const cost = (r: RegExp, n = 1_000_000) => costOf(r)(n);
    expect([/^[a-z]+$/, /^\d{5}(-\d{4})?$/, /\d+/, /a|bc/, /^a+b$/, /^(abc)+$/, /\s+/i].map((r) => cost(r))).toEqual(
      Array(7).fill('low'),
    );
    expect([/[a-z]+$/, /^a+b+$/, /^(a+)+$/, /^(a|b)+$/, /a+b/, /^a+$b+/m, /^(a+)\1/].map((r) => cost(r))).toEqual(
      Array(7).fill('high'),
    );
    expect([/[a-z]+$/, /^a+b+$/].map((r) => cost(r, 1_000))).toEqual(['low', 'low']);
    expect(cost(/^(a+)+$/, 16)).toBe('low');
  });
});

test('what is no regular expression, or too deep for one, is none', () => {
  expect(expressionMatcher('(a')).toBeUndefined();
  expect(expressionMatcher('(?i)a')).toBeUndefined();
  expect(expressionMatcher('('.repeat(30_000) + ')'.repeat(30_000))).toBeUndefined();
});

test('a contract says which of its patterns are none, once each, and holds the others', () => {
  const contract = readOpenApi({
    entry: 'pilots.yaml',
    files: {
      'pilots.yaml': `openapi: 3.1.0
info: { title: Pilots, version: "1" }
paths:
  /pilots:
    post:
      requestBody: { content: { application/json: { schema: { $ref: '#/components/schemas/Pilot' } } } }
      responses: { '204': { description: Done } }
components:
  schemas:
    Pilot:
      type: object
      patternProperties: { '^x-': { type: string }, '(?i)^y': { type: string } }
      properties:
        call: { type: string, pattern: '^(?i)[a-z]+$' }
        again: { type: string, pattern: '^(?i)[a-z]+$' }
        mail: { type: string, pattern: '^\\S+\\@\\S+$' }
`,
    },
  });
  expect(contract.findings.map((f) => [f.code, f.message, f.place.line])).toEqual([
    ['HNG-119', 'the pattern ^(?i)[a-z]+$ is no regular expression of ECMA-262', 11],
    ['HNG-119', 'the pattern (?i)^y is no regular expression of ECMA-262', 11],
  ]);
  const faults = new ValidatorSet(contract.types).check({ $ref: '#/types/Pilot' }, { call: '1', mail: 'a' });
  expect(faults.map((f) => f.pointer)).toEqual(['/mail']);
});
