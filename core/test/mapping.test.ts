import { describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  compileExpression,
  fieldsOf,
  joinExpression,
  splitBody,
  wholeOf,
  coverageOf,
  draftRest,
  editDistance,
  fitOf,
  madeSchema,
  readWsdl,
  suggestFields,
  typeRows,
  type JsonSchema,
} from '../src';
import jsonata from 'jsonata';
import { berths } from './files';
import { api } from './small-world';

const rows = (properties: Record<string, JsonSchema>, required: string[] = []) =>
  typeRows({ properties, required }, {});
const text: JsonSchema = { type: 'string' };
const number: JsonSchema = { type: 'number' };

describe('suggestions', () => {
  const pairs = (a: Record<string, JsonSchema>, b: Record<string, JsonSchema>) =>
    suggestFields(rows(a), rows(b)).map((s) => `${s.from} > ${s.to} (${s.why})`);

  test('the same name, whatever its writing', () => {
    expect(pairs({ vessel_name: text, other: text }, { vesselName: text })).toEqual([
      '/vessel_name > /vesselName (same name)',
    ]);
  });

  test('the same words in another order, or kin of them', () => {
    expect(pairs({ arrivalDate: text, qty: number }, { dateArrival: text, quantity: number })).toEqual([
      '/arrivalDate > /dateArrival (same words)',
      '/qty > /quantity (same words)',
    ]);
    expect(pairs({ shipId: text }, { vesselIdentifier: text })).toEqual(['/shipId > /vesselIdentifier (same words)']);
  });

  test('what stands above counts: vessel.name is vesselName, and not owner.name', () => {
    const source = {
      owner: { type: 'object', properties: { name: text } },
      vessel: { type: 'object', properties: { name: text } },
    } as Record<string, JsonSchema>;
    expect(pairs(source, { vesselName: text })).toEqual(['/vessel/name > /vesselName (same words)']);
  });

  test('a slip of the pen', () => {
    expect(pairs({ adress: text }, { address: text })[0]).toContain('/adress > /address');
  });

  test('a type that cannot fit is not suggested, and none is for nothing', () => {
    expect(pairs({ open: { type: 'boolean' } }, { opened: number })).toEqual([]);
    expect(suggestFields([], rows({ a: text }))).toEqual([]);
    expect(suggestFields(rows({ a: text }), [])).toEqual([]);
    expect(suggestFields(rows({ a: text }), rows({ a: text }), { filled: new Set(['/a']) })).toEqual([]);
  });

  test('each target once; scores between 0 and 1, best first, the same every time', () => {
    const a = rows({ name: text, nameFull: text, length: number, beam: number, id: text });
    const b = rows({ identifier: text, fullName: text, name: text, width: number, len: number });
    const s = suggestFields(a, b);
    expect(new Set(s.map((x) => x.to)).size).toBe(s.length);
    expect(s.map((x) => x.score)).toEqual([...s.map((x) => x.score)].sort((x, y) => y - x));
    expect(s.every((x) => x.score > 0 && x.score <= 1)).toBe(true);
    expect(Object.fromEntries(s.map((x) => [x.to, x.from]))).toEqual({
      '/identifier': '/id',
      '/fullName': '/nameFull',
      '/name': '/name',
      '/width': '/beam',
      '/len': '/length',
    });
    expect(suggestFields(a, b)).toEqual(s);
  });

  test('a drafted request finds its own fields again', () => {
    const op = readWsdl(berths()).operations.find((o) => o.id === 'ReserveBerth')!;
    const r = typeRows(op.request.body, readWsdl(berths()).types);
    const s = suggestFields(r, r);
    expect(s.every((x) => x.from === x.to && x.score > 0.9)).toBe(true);
    expect(s.length).toBe(r.filter((x) => x.leaf).length);
  });

  test('edit distance, by examples (from memory: Damerau 1964, restricted)', () => {
    expect([
      editDistance('kitten', 'sitting'),
      editDistance('ab', 'ba'),
      editDistance('', 'abc'),
      editDistance('same', 'same'),
    ]).toEqual([3, 1, 3, 0]);
  });
});

describe('fit', () => {
  const fit = (a: JsonSchema, b: JsonSchema) => fitOf({ schema: a, types: {} }, { schema: b, types: {} })?.code;
  test.each([
    [text, text, undefined],
    [{ type: 'integer' }, number, undefined],
    [number, { type: 'integer' }, 'HNG-312'],
    [number, text, 'HNG-310'],
    [{ type: 'array', items: text }, text, 'HNG-313'],
    [text, { type: 'array', items: text }, undefined],
    [{ type: 'array', items: number }, { type: 'array', items: text }, 'HNG-310'],
    [{ type: 'integer', format: 'int64' }, { type: 'integer', format: 'int32' }, 'HNG-312'],
    [{ type: 'string', enum: ['a', 'b'] }, { type: 'string', enum: ['a'] }, 'HNG-314'],
    [{ type: 'string', enum: ['a'] }, { type: 'string', enum: ['a', 'b'] }, undefined],
    [{ anyOf: [text, { type: 'null' }] }, text, undefined],
    [{}, text, undefined],
    [{ type: 'string', maxLength: 20 }, { type: 'string', maxLength: 10 }, 'HNG-312'],
  ] as [JsonSchema, JsonSchema, string | undefined][])('%j into %j: %s', (a, b, code) => expect(fit(a, b)).toBe(code));

  test('the checker tells it at the field', () => {
    const source = berths();
    const document = draftRest(readWsdl(source), source);
    const map = document.operations.FindBerths!.flow[0]!;
    if (map.kind === 'map') map.fields = [...map.fields!, { to: '/headers/x', from: 'query.minDepthMetres' }];
    const find = document.operations.GetBerth!.flow[0]!;
    if (find.kind === 'map') find.fields![0]!.from = 'headers.officeCode';
    expect(checkDocument(document).filter((f) => f.severity === 'error')).toEqual([]);
  });
});

test('coverage counts required leaves; an empty optional parent asks for nothing', () => {
  const target = typeRows(
    {
      required: ['a', 'deep'],
      properties: {
        a: text,
        b: text,
        deep: { type: 'object', required: ['x'], properties: { x: text, y: text } },
        may: { type: 'object', required: ['z'], properties: { z: text } },
        list: { type: 'array', items: { type: 'object', required: ['i'], properties: { i: text } } },
      },
    },
    {},
  );
  expect(coverageOf(target, [])).toEqual({ required: 2, filled: 0, missing: ['/a', '/deep/x'] });
  expect(coverageOf(target, ['/a', '/deep'])).toEqual({ required: 2, filled: 2, missing: [] });
  expect(coverageOf(target, ['/a', '/deep/x', '/may/other'])).toEqual({ required: 3, filled: 2, missing: ['/may/z'] });
});

describe('a map as one text, and back', () => {
  const fields = [
    { to: '/headers/X-A', from: 'path.id' },
    { to: '/body/vessel/name', from: 'body.n & ", {x: 1}"' },
    { to: '/body/vessel/a~1b', from: '$map(body.list, function($v) { {"q": $v} })' },
    { to: '/body/list', from: 'body.tides[kind = "HIGH"].{"at": at}' },
    { to: '/body/odd', from: '`a:b`' },
  ];

  test('fields become one object and the same fields again', () => {
    const text = wholeOf({ fields });
    expect(text.fields).toEqual([fields[0]]);
    expect(compileExpression(text.whole!).source).toBe(text.whole);
    const again = fieldsOf(text);
    expect(again.whole).toBeUndefined();
    expect([...again.fields!].sort((a, b) => (a.to < b.to ? -1 : 1))).toEqual(
      [...fields].sort((a, b) => (a.to < b.to ? -1 : 1)),
    );
  });

  test('what is no plain object stays one expression', () => {
    for (const whole of ['body', '$merge([body, {"a": 1}])', '{"a": 1}.a', '{body.k: 1}'])
      expect(fieldsOf({ whole }).fields).toEqual([{ to: '/body', from: whole }]);
    expect(wholeOf({ fields: [{ to: '/body', from: 'body.x' }] }).whole).toBe('body.x');
    expect(wholeOf({}).whole).toBe('{}');
  });

  test('a body taken over as it is becomes a field for each member; what was laid over it stays', () => {
    const rows = typeRows(
      {
        type: 'object',
        properties: { 'call number': { type: 'string' }, at: { type: 'object', properties: { berth: {} } } },
      },
      {},
    );
    const map = {
      fields: [
        { to: '/body', from: ' body ' },
        { to: '/headers/etag', from: 'headers.etag' },
        { to: '/body/at', from: '{"berth": "N-07"}' },
      ],
    };
    const split = splitBody(
      map,
      rows.map((r) => ({ ...r, pointer: `/body${r.pointer}` })),
    );
    expect(split?.fields).toEqual([
      { to: '/body/call number', from: 'body.`call number`' },
      { to: '/headers/etag', from: 'headers.etag' },
      { to: '/body/at', from: '{"berth": "N-07"}' },
    ]);
    expect(splitBody({ fields: [{ to: '/body', from: 'body.inner' }] }, rows)).toBeUndefined();
    expect(splitBody(map, [])).toBeUndefined();
  });
});

describe('joins as expressions', () => {
  const rows = (schema: JsonSchema) => typeRows({ properties: { body: schema } }, {});
  const source = rows({
    type: 'object',
    properties: {
      'odd name': { type: 'string' },
      tides: {
        type: 'array',
        items: { type: 'object', properties: { at: { type: 'string' }, height: { type: 'number' } } },
      },
    },
  });
  const target = rows({
    type: 'object',
    properties: {
      one: { type: 'string' },
      many: {
        type: 'array',
        items: { type: 'object', properties: { at: { type: 'string' }, height: { type: 'number' } } },
      },
    },
  });
  const join = (from: string, to: string) =>
    joinExpression(
      source.find((r) => r.pointer === from)!,
      target.find((r) => r.pointer === to)!,
      source,
      target,
    );

  test.each([
    ['/body/odd name', '/body/one', 'body.`odd name`'],
    ['/body/tides', '/body/many', '[body.tides.{ "at": at, "height": height }]'],
    ['/body/odd name', '/body/many', '[body.`odd name`]'],
    ['/body/tides', '/body/one', 'body.tides[0]'],
    ['/body/tides/*/at', '/body/one', 'body.tides.at'],
  ])('%s to %s is %s', (from, to, wanted) => {
    expect(join(from, to)).toBe(wanted);
    expect(() => compileExpression(wanted)).not.toThrow();
  });
});

describe('what an expression makes by its form', () => {
  const cases: [string, unknown][] = [
    ['"a"', { type: 'string', const: 'a' }],
    ['7', { type: 'integer', const: 7 }],
    ['7.5', { type: 'number', const: 7.5 }],
    ['true', { type: 'boolean', const: true }],
    ['a & "b"', { type: 'string' }],
    ['a + 1', { type: ['integer', 'number'] }],
    ['a / 2', { type: 'number' }],
    ['a = 1 or b', { type: 'boolean' }],
    ['$count(a)', { type: 'integer' }],
    ['$uppercase(a)', { type: 'string' }],
    ['a ? "x" : "y"', { type: 'string', enum: ['x', 'y'] }],
    ['a ? "x" : 1', undefined],
    ['(a & b)', { type: 'string' }],
    ['a.b', undefined],
    ['$map(a, $string)', undefined],
    ['a ? ', undefined],
  ];
  test.each(cases)('%s', (text, schema) => {
    expect(madeSchema(text)).toEqual(schema);
  });

  // The library judges: whatever the form promises, the value is of that type.
  test.each(cases.filter(([, s]) => s))('%s, judged by jsonata', async (text, schema) => {
    const value: unknown = await jsonata(text)
      .evaluate({ a: '2', b: 'c' })
      .catch(() => undefined);
    const types = [(schema as { type: string | string[] }).type].flat();
    if (value !== undefined) expect(types.map((t) => (t === 'integer' ? 'number' : t))).toContain(typeof value);
  });

  test('a literal that the target does not allow, and a status that is not declared, are findings', () => {
    const reply = {
      status: 200,
      mediaType: 'application/json',
      schema: {
        properties: { kind: { enum: ['tug', 'barge'], type: 'string' as const }, n: { type: 'integer' as const } },
      },
    };
    const fields = (...list: [string, string][]) =>
      checkDocument(
        api([{ kind: 'map', to: 'reply', fields: list.map(([to, from]) => ({ to, from })) }], { reply }),
      ).map((f) => f.code);
    expect(fields(['/body/kind', '"tug"'], ['/body/n', '$count(body)'])).not.toContain('HNG-314');
    expect(fields(['/body/kind', '"ferry"'])).toContain('HNG-314');
    expect(fields(['/body/n', '"x" & body'])).toContain('HNG-310');
    expect(fields(['/status', '201'])).toContain('HNG-317');
    expect(fields(['/status', '200'])).not.toContain('HNG-317');
  });
});
