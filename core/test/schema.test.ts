import { describe, expect, test } from '@jest/globals';
import Ajv from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import fc from 'fast-check';
import { Digits, readWsdl, sampleOf, schemaAt, typeRows, ValidatorSet, type JsonSchema } from '../src';
import { ruleWords } from '../src/schema/rules';
import { exampleOf, patternToRegExp } from '../src/pattern';
import { berths } from './files';

const schemas: [string, JsonSchema][] = [
  ['strings', { type: 'string', minLength: 2, maxLength: 4, pattern: '^[a-c]+$' }],
  ['enumeration', { enum: ['a', 1, null, { x: [1] }] }],
  ['numbers', { type: 'number', minimum: 1, exclusiveMaximum: 10, multipleOf: 0.5 }],
  ['integers or null', { type: ['integer', 'null'] }],
  ['arrays', { type: 'array', items: { type: 'integer' }, minItems: 1, maxItems: 3, uniqueItems: true }],
  [
    'objects',
    {
      type: 'object',
      properties: { a: { type: 'integer' }, b: { type: 'array', items: { type: 'string' } } },
      required: ['a'],
      additionalProperties: false,
    },
  ],
  ['choice', { type: 'object', properties: { a: {}, b: {} }, oneOf: [{ required: ['a'] }, { required: ['b'] }] }],
  ['any of', { anyOf: [{ type: 'number' }, { enum: ['INF'] }] }],
  ['all of and not', { allOf: [{ type: 'number' }, { minimum: 0 }], not: { const: 3 } }],
  ['additional by schema', { type: 'object', additionalProperties: { type: 'boolean' } }],
];

describe('the validator agrees with ajv', () => {
  const ajv = new Ajv({ strict: false, allErrors: true });
  addFormats(ajv);
  const set = new ValidatorSet({});
  test.each(schemas)('%s', (_name, schema) => {
    const judge = ajv.compile(schema);
    const value = fc.oneof(
      // ajv itself falls over members that are called valueOf or toString.
      fc.jsonValue({ maxDepth: 2 }).filter((v) => !/valueOf|toString/.test(JSON.stringify(v))),
      fc.constantFrom(
        'a',
        'ab',
        'abc',
        1,
        1.5,
        3,
        'INF',
        null,
        [1],
        [1, 1],
        [1, 2],
        { a: 1 },
        { a: 1, b: ['x'] },
        { b: 2 },
        { a: 1, c: 1 },
        {},
        { x: [1] },
        { z: true },
        { z: 1 },
      ),
    );
    fc.assert(
      fc.property(value, (v) => expect({ v, ok: set.check(schema, v).length === 0 }).toEqual({ v, ok: judge(v) })),
      { seed: 5, numRuns: 400 },
    );
  });
});

test('digits are numbers to the validator, to the last one', () => {
  const set = new ValidatorSet({});
  expect(set.check({ type: 'number', maximum: 1 }, new Digits('0.90'))).toEqual([]);
  expect(set.check({ type: 'integer' }, new Digits('9007199254740993'))).toEqual([]);
  expect(set.check({ type: 'integer', format: 'int64' }, new Digits('9223372036854775808'))).toMatchObject([
    { code: 'format' },
  ]);
  expect(set.check({ type: 'integer' }, new Digits('1.50'))).toMatchObject([{ code: 'type' }]);
});

test('faults carry RFC 6901 pointers, a missing property the pointer it would have', () => {
  const set = new ValidatorSet({
    T: { type: 'object', properties: { 'a/b': { type: 'integer' }, next: { $ref: '#/types/T' } }, required: ['a/b'] },
  });
  expect(
    set.check({ $ref: '#/types/T' }, { 'a/b': 'x', next: { next: { 'a/b': 1 } } }).map((f) => `${f.pointer} ${f.code}`),
  ).toEqual(['/a~1b type', '/next/a~1b required']);
});

test('samples of every type of a contract are valid by ajv', () => {
  const contract = readWsdl(berths());
  const ajv = new Ajv({ strict: false });
  addFormats(ajv);
  for (const [name, schema] of Object.entries(contract.types)) {
    const whole = JSON.parse(
      JSON.stringify({ ...schema, $defs: contract.types }).replaceAll('#/types/', '#/$defs/'),
    ) as object;
    expect({ name, ok: ajv.validate(whole, sampleOf(schema, contract.types)), errors: ajv.errors }).toEqual({
      name,
      ok: true,
      errors: null,
    });
  }
});

test('a recursive type ends, in rows and in samples', () => {
  const types = {
    Node: {
      type: 'object',
      properties: { name: { type: 'string' }, child: { $ref: '#/types/Node' } },
      required: ['name'],
    },
  } satisfies Record<string, JsonSchema>;
  expect(typeRows({ $ref: '#/types/Node' }, types).map((r) => r.pointer)).toEqual(['/name', '/child']);
  expect(sampleOf({ $ref: '#/types/Node' }, types)).toEqual({ name: 'name', child: { name: 'name' } });
  expect(schemaAt({ $ref: '#/types/Node' }, types, ['child', 'child', 'name'])).toEqual({ type: 'string' });
  expect(schemaAt({ $ref: '#/types/Node' }, types, ['child', 'x'])).toBeUndefined();
});

describe('patterns of XML Schema (Part 2 appendix F)', () => {
  test.each([
    ['TV-[0-9]{5}', 'TV-40213', 'xTV-40213'],
    ['[A-Z]-[0-9]{2}', 'N-07', 'N-7'],
    ['a|b', 'b', 'ab'],
    ['^$', '^$', ''],
    ['\\d{2}', '07', 'x7'],
    ['a/b', 'a/b', 'ab'],
  ])('%s allows %s and not %s', (pattern, yes, no) => {
    const r = new RegExp(patternToRegExp(pattern)!, 'u');
    expect([r.test(yes), r.test(no)]).toEqual([true, false]);
  });
  test.each([
    ['\\p{L}+', 'ä', '1'],
    ['[a-z-[aeiou]]+', 'bcd', 'bad'],
    ['[\\i-[:]][\\c-[:]]*', 'é1', ':a'],
    ['[\\w.]+', 'a.b', 'a-b'],
    ['\\p{IsGreek}\\I', 'α1', 'αa'],
    ['(ab){2}|[^x\\-]', 'abab', '-'],
    ['a\\\\.\\.', 'a\\..', 'a\\.a.'],
  ])('%s is published in the terms of ECMA-262: it allows %s and not %s', (pattern, yes, no) => {
    const r = new RegExp(patternToRegExp(pattern)!, 'u');
    expect([r.test(yes), r.test(no)]).toEqual([true, false]);
  });
  test.each(['(a+)+', '(a|aa)*b', '((a*)b)*', 'x'.repeat(600), '(a'])(
    '%s is not published: it may explode elsewhere, is too long, or is no pattern',
    (pattern) => {
      expect(patternToRegExp(pattern)).toBeUndefined();
    },
  );
  test.each([
    ['^(?:TV-[0-9]{5})$', 'TV-00000'],
    ['^(?:[A-Z]-[0-9]{2})$', 'A-00'],
    ['^(?:(a)b)$', 'ab'],
    ['^\\d{3}(-\\w+)?$', '111'],
    ['^(\\w+\\s?)*$', 'a'],
    ['^[^a-z\\s]+@(x|y)$', 'A@x'],
    ['^(?:\\p{Lu}\\p{Ll}*)$', 'Aa'],
    ['^[\\u0391-\\u03a9]$', undefined],
    ['^(?=a)a$', undefined],
  ])('a text is made for %s: %s', (pattern, text) => expect(exampleOf(pattern)).toBe(text));
  test('a sample obeys the pattern and the lengths beside it', () => {
    expect(sampleOf({ type: 'string', pattern: '^[A-Z]*$', minLength: 4 }, {})).toBe('AAAA');
    expect(sampleOf({ type: 'string', pattern: '^x?[A-Z]+$', maxLength: 1 }, {})).toBe('A');
    expect(sampleOf({ type: 'string', pattern: '(' }, {}, { name: 'call' })).toBe('call');
  });
});

// ajv-formats (full mode) is the judge of RFC 3339 dates and times.
test.each(['date', 'date-time', 'time'])('the format %s agrees with ajv-formats', (format) => {
  const ajv = new Ajv({ strict: false });
  addFormats(ajv, { mode: 'full' });
  const judge = ajv.compile({ type: 'string', format });
  const ours = new ValidatorSet({});
  const days = [
    '2026-02-28',
    '2026-02-29',
    '2024-02-29',
    '1900-02-29',
    '2000-02-29',
    '2026-02-31',
    '2026-04-31',
    '2026-12-31',
    '2026-13-01',
    '2026-00-10',
    '2026-1-1',
  ];
  const times = [
    '00:00:00Z',
    '23:59:59.5+01:00',
    '24:00:00Z',
    '12:60:00Z',
    '12:00:00+24:00',
    '12:00:00',
    '12:00:61Z',
    '12:00Z',
  ];
  const texts =
    format === 'date' ? days : format === 'time' ? times : days.flatMap((d) => times.map((t) => `${d}T${t}`));
  for (const text of texts)
    expect([text, ours.check({ type: 'string', format }, text).length === 0]).toEqual([text, judge(text)]);
});

test('of several simple types all are named, those of XML Schema by their names', () => {
  const schema: JsonSchema = {
    anyOf: [
      { type: 'string', title: 'xs:date', pattern: '^\\d{4}-\\d{2}-\\d{2}$' },
      { type: 'string', title: 'xs:gYear', pattern: '^\\d{4}$' },
      { type: 'string', enum: ['ever'] },
    ],
  };
  const faults = (v: unknown) => new ValidatorSet({}).check(schema, v);
  expect(faults('soon')).toEqual([
    { pointer: '', code: 'anyOf', detail: 'must be an xs:date, or must be an xs:gYear, or must be "ever"' },
  ]);
  expect(faults('ever')).toEqual([]);
  expect(faults(5)).toEqual([{ pointer: '', code: 'type', detail: 'must be a string' }]);
});

test.each<[JsonSchema, string]>([
  [{ type: 'string' }, ''],
  [{ type: 'string', minLength: 0, maxLength: 10 }, 'at most 10 characters'],
  [{ type: 'string', minLength: 1 }, 'at least 1 character'],
  [{ type: 'string', minLength: 3, maxLength: 3, pattern: '^(?:[A-Z]+)$' }, '3 characters, matches [A-Z]+'],
  [{ type: 'string', title: 'xs:date', pattern: '^x$' }, ''],
  [{ type: 'integer', format: 'int32', minimum: -2147483648, maximum: 2147483647 }, ''],
  [{ type: 'integer', minimum: 1, maximum: 60, default: 5 }, '1 to 60, 5 where nothing is given'],
  [{ type: 'number', exclusiveMinimum: 0, multipleOf: 0.5 }, 'more than 0, a multiple of 0.5'],
  [{ type: 'array', minItems: 1, maxItems: 1 }, '1 item'],
  [{ type: 'array', minItems: 1, maxItems: 3, uniqueItems: true }, '1 to 3 items, none twice'],
  [{ const: 'a' }, 'always "a"'],
])('what %j asks besides its type is said in words', (schema, words) => expect(ruleWords(schema)).toBe(words));

test('rows of a type say the rules of its members, of lists and of what is in them', () => {
  const schema: JsonSchema = {
    properties: {
      codes: { type: 'array', maxItems: 3, items: { type: 'string', maxLength: 2 } },
      id: { type: 'string' },
    },
  };
  expect(typeRows(schema, {}).map((r) => r.rules)).toEqual(['at most 3 items; at most 2 characters', undefined]);
});
