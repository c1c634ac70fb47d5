import { describe, expect, test } from '@jest/globals';
import jsonata from 'jsonata';
import { compileExpression } from '../src';
import { api, world } from './small-world';

/** Each would end the process or hold it for seconds, were it not bounded. */
const WORST: readonly string[] = [
  '[1..100000].$pad("", 100000, "x")',
  '$pad("", 999999, $pad("", 999999, "abc")) & [1..20].$pad("", 999999, "x")',
  '($d := function($l, $n) { $n = 0 ? $l : $d($append($l, $l), $n - 1) }; $count($d([1], 40)))',
  '($d := function($o, $n) { $n = 0 ? $o : $d([[$o], [$o]], $n - 1) }; $string($d({"a": 1}, 40)))',
  '($d := function($o, $n) { $n = 0 ? $o : $d({"l": $o, "r": $o}, $n - 1) }; $d({"a": 1}, 40))',
  '($d := function($t, $n) { $n = 0 ? $t : $d($t & $t, $n - 1) }; $length($d("x", 60)))',
  '($d := function($t, $n) { $n = 0 ? $t : $d($base64encode($t & $t & $t), $n - 1) }; $length($d("x", 60)))',
  '($d := function($t, $n) { $n = 0 ? $t : $d($encodeUrlComponent($t & $t), $n - 1) }; $length($d("%", 60)))',
  '($d := function($t, $n) { $n = 0 ? $t : $d($replace($t, "x", "xx"), $n - 1) }; $length($d("x", 60)))',
  '($d := function($t, $n) { $n = 0 ? $t : $d($join([$t, $t, $t], ","), $n - 1) }; $length($d("x", 60)))',
  '($f := function($n) { $f($n + 1) }; $f(0))',
  '[1..1000].([1..1000].([1..1000]))',
  '$sum([1..2000].($sum([1..2000])))',
  '$distinct([1..20000].{"a": $})',
  '$sort([1..500000], function($a, $b) { $a < $b })',
  '$merge([1..500000].{$string($): $})',
  '$zip([1..500000], [1..500000], [1..500000], [1..500000])',
  '$count($spread($merge([1..400000].{$string($): $})))',
  '[1..9999999]',
  // Left to the library.
  '$map([1..200000], function($v)<n:n> { $v + 1 })',
  '($d := function($t, $n)<sn:s> { $n = 0 ? $t : $d($t & $t, $n - 1) }; $length($d("x", 60)))',
  '($d := function($l, $n)<an:a> { $n = 0 ? $l : $d($append($l, $l), $n - 1) }; $count($d([1], 40)))',
  '($d := function($o, $n)<an:a> { $n = 0 ? $o : $d([[$o], [$o]], $n - 1) }; $d([1], 40))',
  '($now(); $pad("", 1000000000))',
  '($now(); $distinct([1..20000].{"a": $}))',
  '($now(); $sort([1..900000]))',
];

describe('what an expression may take', () => {
  test.each(WORST)('%s is stopped', async (source) => {
    let error: unknown;
    try {
      await compileExpression(source).evaluate({ body: {} });
    } catch (e) {
      error = e;
    }
    expect(error).toMatchObject({
      name: 'ExpressionError',
      code: expect.stringMatching(/^D(101[12]|2015)$/) as unknown,
    });
  });

  test('the caller gets a problem, the trace says which expression', async () => {
    const w = world(api([{ kind: 'reply', from: WORST[0]! }]));
    const r = await w.run();
    expect(r.error).toMatchObject({ code: 'HNG-429', inner: expect.stringContaining('[1..100000].$pad') as unknown });
    expect(JSON.stringify(r.reply.body)).not.toContain('$pad');
  });

  test('all expressions of a request share one budget, those of each item too', async () => {
    const heavy = '$count([1..200000])';
    const flow = [
      {
        kind: 'each' as const,
        items: '[1..40]',
        flow: [
          { kind: 'set' as const, values: { n: heavy } },
          { kind: 'reply' as const, from: 'vars.n' },
        ],
      },
      { kind: 'reply' as const, from: 'body' },
    ];
    expect((await world(api([{ kind: 'reply', from: heavy }])).run()).reply.body).toBe(200000);
    expect((await world(api(flow)).run()).error).toMatchObject({ code: 'HNG-429' });
  });

  test('the document may say another budget', async () => {
    const d = api([{ kind: 'reply', from: '$count([1..200000])' }]);
    expect((await world({ ...d, limits: { expressionBytes: 100_000 } }).run()).error).toMatchObject({
      code: 'HNG-429',
    });
  });

  test('while many requests evaluate for long, others have their turn between them', async () => {
    const flow = [
      { kind: 'set' as const, values: { a: '$count([1..60000].($ + 1))' } },
      { kind: 'reply' as const, from: 'vars.a' },
    ];
    const w = world({ ...api(flow), limits: { expressionMs: 10_000 } });
    let turns = 0;
    let going = true;
    const count = (): void => {
      turns++;
      if (going) setImmediate(count);
    };
    setImmediate(count);
    const all = await Promise.all(Array.from({ length: 60 }, () => w.run()));
    going = false;
    expect(all.map((r) => r.error?.inner ?? r.reply.body)).toEqual(Array(60).fill(60000));
    // Without turns the sixty would go on in a handful of them.
    expect(turns).toBeGreaterThan(15);
  });

  test('texts and lists that grow piece by piece are no doubling', () => {
    const text = '$reduce([1..5000], function($t, $n) { $t & "ten chars." }, "")';
    expect(String(compileExpression(text).evaluate({})).length).toBe(50000);
  });
});

describe('patterns as functions, as the library has them', () => {
  const input = {
    body: { list: [{ name: 'Red Hat' }, { name: 'Boots' }, { name: 'hatstand' }], words: ['hat', 'cap', 'that'], n: 5 },
  };
  test.each([
    'body.list[name ~> /hat/i]',
    'body.list[name ~> /hat/i].name',
    '$filter(body.words, /hat/)',
    '$map(body.words, /h(a)t/)',
    'body.words[0] ~> /h(a)t/',
    'body.words[1] ~> /h(a)t/',
    '$filter(body.words, /^.hat$/)',
    '($re := /hat/; $filter(body.words, $re))',
    'body.n ~> /5/',
  ])('%s', async (source) => {
    const e = compileExpression(source);
    expect(e.compiled).toBe(true);
    const plain = JSON.parse(JSON.stringify(await jsonata(source).evaluate(input)) ?? 'null') as unknown;
    expect(JSON.parse(JSON.stringify(await e.evaluate(input)) ?? 'null')).toEqual(plain);
  });
});
