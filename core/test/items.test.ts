import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import jsonata from 'jsonata';
import {
  buildExpression,
  compileExpression,
  groupItems,
  readItems,
  writeItems,
  type Build,
  type ItemMap,
} from '../src';

const DATA = {
  body: {
    rows: [
      { quay: 'north', vessel: 'v1', metres: 80, at: { from: '2026-11-02' } },
      { quay: 'south', vessel: 'v2', metres: 120, at: { from: '2026-11-01' } },
      { quay: 'north', vessel: 'v3', metres: 40, at: { from: '2026-11-03' } },
    ],
    vessels: [
      { id: 'v1', name: 'Whimbrel' },
      { id: 'v2', name: 'Godwit' },
    ],
    one: [{ quay: 'east', metres: 7 }],
    none: [],
  },
};
/** Ours and the library's must say the same; lists are plain lists. */
async function both(text: string) {
  const ours = JSON.parse(JSON.stringify((await compileExpression(text).evaluate(DATA)) ?? null)) as unknown;
  const theirs = JSON.parse(JSON.stringify((await jsonata(text).evaluate(DATA)) ?? null)) as unknown;
  expect(ours).toEqual(theirs);
  return ours;
}

describe('item maps', () => {
  const plain: ItemMap = {
    of: 'body.rows',
    fields: [
      { to: '/place', from: 'quay' },
      { to: '/stay/from', from: 'at.from' },
    ],
  };

  test('each item becomes one; filtered, sorted, grouped', async () => {
    expect(await both(writeItems(plain))).toEqual([
      { place: 'north', stay: { from: '2026-11-02' } },
      { place: 'south', stay: { from: '2026-11-01' } },
      { place: 'north', stay: { from: '2026-11-03' } },
    ]);
    const long: ItemMap = { ...plain, where: 'metres > 50', sort: { by: 'at.from' } };
    expect(await both(writeItems(long))).toEqual([
      { place: 'south', stay: { from: '2026-11-01' } },
      { place: 'north', stay: { from: '2026-11-02' } },
    ]);
    const falling: ItemMap = {
      ...plain,
      sort: { by: 'metres', descending: true },
      fields: [{ to: '/m', from: 'metres' }],
    };
    expect(await both(writeItems(falling))).toEqual([{ m: 120 }, { m: 80 }, { m: 40 }]);
    const groups: ItemMap = {
      of: 'body.rows',
      group: 'quay',
      fields: [
        { to: '/quay', from: '$key' },
        { to: '/vessels', from: '$count($items)' },
        { to: '/metres', from: '$sum($items.metres)' },
      ],
    };
    expect(await both(writeItems(groups))).toEqual([
      { quay: 'north', vessels: 2, metres: 120 },
      { quay: 'south', vessels: 1, metres: 120 },
    ]);
    expect(await both(writeItems({ ...groups, of: 'body.one' }))).toEqual([{ quay: 'east', vessels: 1, metres: 7 }]);
    expect(await both(writeItems({ ...plain, of: 'body.none' }))).toEqual([]);
  });

  test('grouping and letting go of it takes the fields along', async () => {
    const whole = { ...plain, fields: [...plain.fields, { to: '/n', from: '$uppercase(vessel)' }] };
    const grouped = groupItems(groupItems(whole, 'qua'), 'quay');
    expect(grouped.fields.map((f) => f.from)).toEqual(['$key', '$items[0].at.from', '$uppercase(vessel)']);
    expect(groupItems(grouped, undefined)).toEqual({ ...whole, group: undefined });
    expect(await both(writeItems({ ...grouped, fields: grouped.fields.slice(0, 2) }))).toEqual([
      { place: 'north', stay: { from: '2026-11-02' } },
      { place: 'south', stay: { from: '2026-11-01' } },
    ]);
  });

  test.each([
    '[body.rows.{ "a": quay }]',
    '[ body.rows[metres > 3 and quay = "]"] . { "a" : quay , "b" : { "c" : $sum(x.y) } } ]',
    '[body.`odd name`^(>metres).{ "a": "x, {y}: z" }]',
    '[$each(body.rows{ $string(quay): $ }, function($items, $key) { { "a": $key } })]',
    '[body.rows.{ "inner": [parts.{ "b": c }] }]',
    '[body.rows.{}]',
  ])('%s is read and written again', (text) => {
    const read = readItems(text)!;
    expect(read).toBeDefined();
    expect(readItems(writeItems(read))).toEqual(read);
    expect(writeItems(read).replace(/\s/g, '')).toBe(text.replace(/\s/g, ''));
  });

  test.each([
    'body.rows',
    '[body.rows]',
    '[body.rows.{ quay: 1 }]',
    '[$map(body.rows, function($r) { { "a": $r.quay } })]',
    '[body.rows.{ "a": quay }, 1]',
    '[body.rows.(x := 1; { "a": 1 })]',
    '[body.rows^(a, b).{ "a": quay }]',
    '[body.rows.{ "a": }]',
    '',
  ])('%s is left as text', (text) => {
    expect(readItems(text)).toBeUndefined();
  });

  test('any map comes back as it went', () => {
    const name = fc
      .stringMatching(/^[a-z][A-Za-z0-9]{0,6}$/)
      .filter((n) => !['and', 'or', 'in', 'function'].includes(n));
    const odd = fc.constantFrom('a/b', 'x y', '~', '"q"', 'ä', ',', ':', '}');
    const expression = fc.oneof(
      name,
      fc.constantFrom(
        '$sum(a.b)',
        '"text, with {marks}: [all]"',
        'a[b = "]"].c',
        '{ "x": 1, "y": z }',
        '[p.{ "q": r }]',
        'a & ":" & b',
      ),
    );
    const map = fc.record(
      {
        of: fc.array(name, { minLength: 1, maxLength: 3 }).map((p) => p.join('.')),
        where: fc.constantFrom('a = 1', 'b[c].d', '$exists(x)'),
        sort: fc.record({ by: name, descending: fc.constant(true) }, { requiredKeys: ['by'] }),
        group: name,
        fields: fc.uniqueArray(
          fc.record({
            to: fc.oneof(name, odd).map((n) => `/${n.replace(/~/g, '~0').replace(/\//g, '~1')}`),
            from: expression,
          }),
          { selector: (f) => f.to, maxLength: 5 },
        ),
      },
      { requiredKeys: ['of', 'fields'] },
    );
    fc.assert(
      fc.property(map, (m) => {
        const read = readItems(writeItems(m));
        // An object given as one expression is read as its members.
        expect(read && writeItems(read)).toBe(writeItems(m));
        if (!m.fields.some((f) => f.from.startsWith('{'))) expect(read).toEqual(m);
      }),
      { seed: 11, numRuns: 500 },
    );
  });
});

describe('builds', () => {
  test.each<[Build, string, unknown]>([
    ['value', 'body.one.metres', 7],
    ['sum', 'body.rows.metres', 240],
    ['average', 'body.rows.metres', 80],
    ['least', 'body.rows.metres', 40],
    ['most', 'body.rows.metres', 120],
    ['count', 'body.rows', 3],
    ['count', 'body.nothing', 0],
    ['first', 'body.rows.metres', 80],
    ['last', 'body.rows.metres', 40],
    ['distinct', 'body.rows.quay', ['north', 'south']],
    ['joined', 'body.rows.metres', '80, 120, 40'],
  ])('%s %s', async (build, of, result) => {
    expect(await both(buildExpression(build, { of }))).toEqual(result);
  });

  test('looked up, at the top and inside of items', async () => {
    const name = { of: '$$.body.vessels', key: 'id', equals: 'vessel', take: 'name' };
    const text = writeItems({ of: 'body.rows', fields: [{ to: '/name', from: buildExpression('lookup', name) }] });
    expect(await both(text)).toEqual([{ name: 'Whimbrel' }, { name: 'Godwit' }, {}]);
    expect(readItems(text)!.fields[0]!.from).toBe(buildExpression('lookup', name));
    expect(
      await both(buildExpression('lookup', { of: 'body.vessels', key: 'id', equals: 'body.rows[0].vessel' })),
    ).toEqual({ id: 'v1', name: 'Whimbrel' });
  });
});
