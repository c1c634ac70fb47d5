import { describe, expect, test } from '@jest/globals';
import { Validator } from '@cfworker/json-schema';
import fc from 'fast-check';
import { readJson, ValidatorSet, type JsonSchema, type TypeTable } from '../src';

/** JSON Schema 2020-12 core §11; @cfworker/json-schema is the judge (ajv does not follow annotations of forms that fail). */
const NAMES = ['a', 'b', 'c', 'x-1'];
const types: TypeTable = {
  A: { type: 'object', properties: { a: { type: 'integer' } } },
  B: { $ref: '#/types/A', properties: { b: {} } },
  L: { prefixItems: [{ type: 'integer' }] },
  Loop: { properties: { c: { $ref: '#/types/Loop' } }, unevaluatedProperties: false },
};
const judged = (schema: JsonSchema) =>
  JSON.parse(JSON.stringify({ ...schema, $defs: types }).replaceAll('#/types/', '#/$defs/')) as object;

const leaf = fc.constantFrom<JsonSchema>(
  {},
  { type: 'integer' },
  { type: 'string' },
  { const: 1 },
  { $ref: '#/types/A' },
  { $ref: '#/types/B' },
  { $ref: '#/types/L' },
);
const name = fc.constantFrom(...NAMES);
const rule = fc.constantFrom<boolean | JsonSchema>(false, false, { type: 'integer' });

function schemas(depth: number): fc.Arbitrary<JsonSchema> {
  if (depth === 0) return leaf;
  const inner = schemas(depth - 1);
  const list = fc.array(inner, { minLength: 1, maxLength: 2 });
  const more = fc.record(
    {
      properties: fc.dictionary(name, leaf, { maxKeys: 2 }),
      patternProperties: fc.constantFrom({ '^x-': {} }, { '^[ab]$': { type: 'integer' as const } }),
      prefixItems: fc.array(leaf, { minLength: 1, maxLength: 2 }),
      required: fc.array(name, { maxLength: 1 }),
      allOf: list,
      anyOf: list,
      oneOf: list,
      if: inner,
      then: inner,
      else: inner,
      not: fc.constantFrom<JsonSchema>({ required: ['c'] }, { type: 'string' }),
      dependentSchemas: fc.dictionary(name, inner, { minKeys: 1, maxKeys: 1 }),
      contains: fc.constantFrom<JsonSchema>({ type: 'integer' }, { type: 'string' }),
      additionalProperties: fc.constantFrom<boolean | JsonSchema>(true, { type: 'integer' }),
      items: fc.constant<JsonSchema>({ type: 'integer' }),
      $ref: fc.constantFrom('#/types/A', '#/types/B', '#/types/L'),
    },
    { requiredKeys: [] },
  );
  // What is rarely there together says little: a few keywords of many.
  return fc
    .tuple(more, fc.array(fc.nat(20), { minLength: 1, maxLength: 4 }))
    .map(([all, keep]) => Object.fromEntries(Object.entries(all).filter((_e, i) => keep.includes(i))) as JsonSchema);
}

const closed: fc.Arbitrary<JsonSchema> = fc.oneof(
  fc.record({ unevaluatedProperties: rule }),
  fc.record({ unevaluatedItems: rule }),
);
const value = fc.oneof(
  { weight: 4, arbitrary: fc.dictionary(name, fc.constantFrom<unknown>(1, 'u', { a: 1 }, { c: {} }), { maxKeys: 3 }) },
  { weight: 2, arbitrary: fc.array(fc.constantFrom<unknown>(1, 'u', { a: 1 }), { maxLength: 3 }) },
  { weight: 1, arbitrary: fc.constantFrom<unknown>(1, 'u', null) },
);

describe('unevaluatedProperties and unevaluatedItems', () => {
  test('made-up schemas, seed 11: each value is judged as it does', () => {
    const seen = { right: 0, wrong: 0 };
    fc.assert(
      fc.property(schemas(2), closed, fc.array(value, { minLength: 3, maxLength: 6 }), (schema, own, values) => {
        const whole = { ...schema, ...own };
        const judge = new Validator(judged(whole), '2020-12');
        const rule = new ValidatorSet(types).compile(whole);
        for (const v of values) {
          const told: unknown[] = [];
          rule(v, '', (f) => told.push(f));
          const ok = judge.validate(v).valid;
          seen[ok ? 'right' : 'wrong']++;
          expect({ whole, v, ok: told.length === 0 }).toEqual({ whole, v, ok });
        }
      }),
      { seed: 11, numRuns: 1500 },
    );
    // Neither all right nor all wrong, or it would say nothing.
    expect(Math.min(seen.right, seen.wrong)).toBeGreaterThan(1000);
  }, 60_000);

  const check = (schema: JsonSchema, v: unknown) =>
    new ValidatorSet(types).check(schema, v).map((f) => `${f.pointer} ${f.code}: ${f.detail}`);
  test('what is told', () => {
    const both: JsonSchema = {
      allOf: [{ $ref: '#/types/A' }, { properties: { d: {} } }],
      unevaluatedProperties: false,
    };
    expect(check(both, { a: 1, d: 2, 'e/f': 3 })).toEqual(['/e~1f additionalProperties: e/f is not known here']);
    expect(check({ prefixItems: [{}], unevaluatedItems: false }, [1, 2])).toEqual([
      '/1 maxItems: no item may stand here',
    ]);
    expect(check({ prefixItems: [{}], items: false as never }, [1, 2])).toEqual(['/1 not: nothing may stand here']);
    expect(check({ unevaluatedProperties: { type: 'string' } }, readJson('{"a":1.50}'))).toEqual([
      '/a type: must be a string',
    ]);
  });
  test('contains has looked at what it holds for, and at nothing else (§10.3.1.3)', () => {
    const schema: JsonSchema = { prefixItems: [{}], contains: { type: 'string' }, unevaluatedItems: false };
    expect(check(schema, [1, 'foo'])).toEqual([]);
    expect(check(schema, [1, 2, 'foo', 3])).toEqual([1, 3].map((i) => `/${i} maxItems: no item may stand here`));
  });
  test.each<[string, JsonSchema, unknown, string[]]>([
    [
      'a form that fails has looked at nothing',
      { anyOf: [{ unevaluatedItems: false }, {}], unevaluatedItems: false },
      [1],
      ['/0'],
    ],
    [
      'nor one whose own rule fails',
      { anyOf: [{ properties: { a: {} }, required: ['b'] }, {}], unevaluatedProperties: false },
      { a: 1 },
      ['/a'],
    ],
    [
      'what one within has looked at is looked at',
      { allOf: [{ unevaluatedProperties: true }], unevaluatedProperties: false },
      { a: 1 },
      [],
    ],
    [
      'an if without then has looked too',
      { if: { properties: { a: {} } }, unevaluatedProperties: false },
      { a: 1 },
      [],
    ],
    [
      'a cousin sees nothing',
      { allOf: [{ properties: { a: {} } }, { unevaluatedProperties: false }] },
      { a: 1 },
      ['/a'],
    ],
    ['types that hold themselves', { $ref: '#/types/Loop' }, { c: { c: { d: 1 } } }, ['/c/c/d']],
  ])('%s (§11.2, §11.3)', (_words, schema, v, wanted) => {
    expect(new ValidatorSet(types).check(schema, v).map((f) => f.pointer)).toEqual(wanted);
  });
  test('digits are a number, not an object of something', () => {
    expect(check({ unevaluatedProperties: false, propertyNames: { maxLength: 1 } }, readJson('1.50'))).toEqual([]);
  });
});
