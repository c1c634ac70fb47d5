import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import jsonata from 'jsonata';
import { compileExpression, Digits, ExpressionError, JsonError, lower, readJson, writeJson } from '../src';

describe('JSON with every digit', () => {
  test.each([
    '{"a":0.90}',
    '[9007199254740993]',
    '[1e400]',
    '{"a":-0}',
    '[1.0,10,1.5]',
    '{"long":123456789012345678901234567890.10}',
    '"0.90"',
    'null',
    '{"é":"\\u0001"}',
  ])('%s comes back as it was', (text) => {
    expect(writeJson(readJson(text))).toBe(text.replace(/\\u0001/, '\\u0001'));
  });

  test('numbers that a double holds as written are plain numbers', () => {
    expect(readJson('[1,1.5,-3,100]')).toEqual([1, 1.5, -3, 100]);
    expect(readJson('[0.90]')).toEqual([new Digits('0.90')]);
  });

  test('property: any JSON value of JavaScript comes back equal', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (v) => expect(lower(readJson(writeJson(v)))).toEqual(JSON.parse(JSON.stringify(v)))),
      { seed: 7, numRuns: 300 },
    );
  });

  test.each([
    ['{"a":1,}', 7],
    ['', 0],
    ['{"a" 1}', 5],
  ])('%s is refused with its place', (text, position) => {
    expect(() => readJson(text)).toThrow(JsonError);
    try {
      readJson(text);
    } catch (e) {
      expect((e as JsonError).position).toBe(position);
    }
  });

  test('depth is bounded before anything recurses', () => {
    expect(() => readJson('['.repeat(100_000))).toThrow(/nested deeper/);
  });

  test('members named like prototypes are plain members', () => {
    const v = readJson('{"__proto__":{"x":1.0}}') as object;
    expect(({} as { x?: unknown }).x).toBeUndefined();
    expect(Object.getPrototypeOf(v)).toBe(Object.prototype);
    expect(writeJson(v)).toBe('{"__proto__":{"x":1.0}}');
  });
});

describe('expressions agree with the jsonata library', () => {
  const input = {
    body: {
      id: 'N-07',
      n: 2,
      zero: 0,
      empty: '',
      none: null,
      list: [1, 2, 3],
      one: ['x'],
      nothing: [],
      deep: { a: { b: [{ c: 1 }, { c: 2 }, { d: 3 }] } },
      flag: true,
      'odd-name': 5,
      rows: [{ k: ['a', 'b'] }, { k: ['c'] }, { k: [] }],
    },
    query: {},
    vars: { t: 'x' },
  };
  const compiled = [
    'body.id',
    'body.list',
    'body.one',
    'body.nothing',
    'body.deep.a.b.c',
    'body.deep.a.b',
    'body.rows.k',
    'body.missing.x',
    'body.`odd-name`',
    'body.none',
    'query',
    'nope',
    '1 + 2 * 3',
    'body.n / 4',
    'body.n % 2',
    'body.n - body.missing',
    '"a" & body.id & 1 & true & null & body.list & body.deep.a.b.d',
    'body.n & 0.1',
    'body.n = 2',
    'body.n != 3',
    'body.missing = 1',
    'body.missing != 1',
    'body.list = [1,2,3]',
    'body.n < 3 and body.id > "A"',
    'body.zero or body.empty or body.nothing',
    'body.none and true',
    'body.flag ? "yes" : "no"',
    'body.zero ? 1',
    'body.n in [1,2]',
    '"x" in body.one',
    '[1, [2, 3], body.list, body.missing]',
    '[body.one]',
    '[]',
    '{"a": body.id, "b": {"c": body.missing}, "d": body.list}',
    '(body.n + 1) * 2',
    '"a" = "a"',
    '0.1 + 0.2',
    'body.deep = {"a": body.deep.a}',
  ];

  test.each(compiled)('%s', async (source) => {
    const e = compileExpression(source);
    expect({ source, compiled: e.compiled, why: e.why }).toEqual({ source, compiled: true, why: undefined });
    const want: unknown = await jsonata(source).evaluate(input);
    expect(plain(e.evaluate(input))).toEqual(plain(want));
  });

  const library = [
    '$now() != ""',
    '$toMillis("2026-12-04T05:30:00Z")',
    '$fromMillis(0)',
    '$formatNumber(1234.5, "#,##0.00")',
    '$formatInteger(12, "w")',
    '$parseInteger("twelve", "w")',
    '$eval("1+1")',
    'body.rows.k.%.k',
    'body.rows@$r.k',
    'body.rows#$i.k',
    'body ~> |deep|{"z": 1}|',
    'function($x)<n:n>{$x}(1)',
    '$base64encode("a")',
  ];
  test.each(library)('%s is left to the library', async (source) => {
    const e = compileExpression(source);
    expect(e.compiled).toBe(false);
    expect(plain(await e.evaluate(input))).toEqual(plain(await jsonata(source).evaluate(input)));
  });

  test('property: generated expressions give what the library gives, and each of them was compiled', async () => {
    const leaf = fc.constantFrom(
      'body.n',
      'body.id',
      'body.list',
      'body.one',
      'body.deep.a.b.c',
      'body.missing',
      'body.nothing',
      '1',
      '2.5',
      '"s"',
      'true',
      'null',
      'vars.t',
    );
    const { expr } = fc.letrec<{ expr: string }>((tie) => ({
      expr: fc.oneof(
        { maxDepth: 4, withCrossShrink: true },
        leaf,
        fc
          .tuple(tie('expr'), fc.constantFrom('+', '-', '*', '&', '=', '!=', '<', '>=', 'and', 'or', 'in'), tie('expr'))
          .map(([a, op, b]) => `(${a} ${op} ${b})`),
        fc.tuple(tie('expr'), tie('expr'), tie('expr')).map(([a, b, c]) => `(${a} ? ${b} : ${c})`),
        fc.array(tie('expr'), { maxLength: 3 }).map((l) => `[${l.join(', ')}]`),
        tie('expr').map((v) => `{"k": ${v}}`),
      ),
    }));
    await fc.assert(
      fc.asyncProperty(expr, async (source) => {
        const e = compileExpression(source);
        expect(e.compiled).toBe(true);
        const want = await outcome(async () => (await jsonata(source).evaluate(input)) as unknown);
        const have = await outcome(async () => e.evaluate(input));
        expect({ source, ...have }).toEqual({ source, ...want });
      }),
      { seed: 22, numRuns: 400 },
    );
  });

  async function outcome(run: () => Promise<unknown>) {
    try {
      return { value: plain(await run()) };
    } catch (e) {
      return { code: (e as { code: string }).code };
    }
  }
  const plain = (v: unknown): unknown => (v === undefined ? '(nothing)' : JSON.parse(JSON.stringify(v)));

  test('digits pass through a path untouched and count as numbers in arithmetic', () => {
    const e = compileExpression('{"same": body.d, "more": body.d + 1, "text": "" & body.d, "is": body.d = 0.9}');
    expect(writeJson(e.evaluate({ body: { d: new Digits('0.90') } }))).toBe(
      '{"same":0.90,"more":1.9,"text":"0.90","is":true}',
    );
  });

  test('mistakes have a position; the paths that are read are told', () => {
    expect(() => compileExpression('body.id &')).toThrow(ExpressionError);
    try {
      compileExpression('body.a + * 2');
    } catch (e) {
      expect((e as ExpressionError).position).toBe(11);
    }
    expect(compileExpression('body.a & $string(query.b)').reads).toEqual([
      ['body', 'a'],
      ['query', 'b'],
    ]);
    expect(compileExpression('body.a.b').path).toEqual(['body', 'a', 'b']);
    expect(compileExpression('body.a.b + 1').path).toBeUndefined();
  });

  test.each([
    ['without end, called at the end', '($f := function($n){$f($n + 1)}; $f(0))', 'D1012'],
    ['without end, called inside', '($f := function($n){1 + $f($n + 1)}; $f(0))', 'D1011'],
    ['a list that is too long', '[1..100000000]', 'D2014'],
    ['a list of lists that is too long', '[1..3000000].(1)', 'D1012'],
  ])('%s: stopped', (_name, source, code) => {
    const e = compileExpression(source);
    expect(e.compiled).toBe(true);
    expect(() => e.evaluate({})).toThrow(expect.objectContaining({ code }) as unknown as Error);
  });

  test('and so is what the library runs', async () => {
    await expect(compileExpression('($f := function($n)<n:n>{$f($n + 1)}; $f(0))').evaluate({})).rejects.toThrow(
      ExpressionError,
    );
  }, 15_000);
});
