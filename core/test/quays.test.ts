import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { draftFor, readContract, sampleOf } from '../src';
import { deepEntries, deepReader } from '../src/codec/deep-object';
import { textReader } from '../src/codec/text-values';
import type { JsonSchema } from '../src';
import { ask, queryOf } from './ask-world';
import { ownContract } from './files';

const source = ownContract('quays.yaml');
const document = draftFor(readContract(source), source, undefined, { address: 'http://backend.example' });
const DONE = { text: '', status: 204 };

describe('deepObject with more than one level (common practice; OpenAPI 3.1 §4.8.12.2 leaves it open)', () => {
  test('is read by its schema and written again', async () => {
    const raw = { 'filter[depth][gte]': '1.5', 'filter[kind]': ['a', 'b'], 'fields[quay]': 'x', sort: 'name,-name' };
    const r = await ask(document, 'quays_list', { raw }, { text: '{"data":[]}' });
    expect([r.status, r.errors]).toEqual([200, undefined]);
    expect(queryOf(r.sent)).toBe('filter[depth][gte]=1.5&filter[kind]=a&filter[kind]=b&sort=name,-name&fields[quay]=x');
  });
  test.each([
    ['filter[depth][gte]', 'high', 'filter type: /depth/gte must be a number'],
    [
      'filter[depth][most]',
      '1',
      'filter[depth][most] additionalProperties: the query parameter filter[depth][most] is not known here',
    ],
    [
      'filter[constructor]',
      '1',
      'filter[constructor] additionalProperties: the query parameter filter[constructor] is not known here',
    ],
  ])('%s=%s is told', async (name, value, fault) => {
    const r = await ask(document, 'quays_list', { raw: { [name]: value } });
    expect([r.status, r.errors]).toEqual([400, [fault]]);
  });
  const schema: JsonSchema = {
    type: 'object',
    properties: {
      tags: { type: array(), items: { type: 'integer' } },
      rows: {
        type: 'array',
        items: { type: 'object', properties: { n: { type: 'number' }, ok: { type: 'boolean' } } },
      },
      open: { type: 'object', additionalProperties: { type: 'object', additionalProperties: { type: 'integer' } } },
    },
  };
  function array(): 'array' {
    return 'array';
  }
  const reader = deepReader('q', schema, {});
  test.each<[string, Record<string, string | string[]>, unknown]>([
    ['a name several times', { 'q[tags]': ['1', '2'] }, { tags: [1, 2] }],
    ['a name once', { 'q[tags]': '1' }, { tags: [1] }],
    ['with []', { 'q[tags][]': ['1', '2'] }, { tags: [1, 2] }],
    ['with numbers, out of order', { 'q[tags][10]': '3', 'q[tags][2]': '2', 'q[tags][0]': '1' }, { tags: [1, 2, 3] }],
    ['objects in a list', { 'q[rows][0][n]': '1', 'q[rows][1][ok]': 'true' }, { rows: [{ n: 1 }, { ok: true }] }],
    ['names that callers choose', { 'q[open][__proto__][a]': '1' }, JSON.parse('{"open":{"__proto__":{"a":1}}}')],
    ['nothing', { other: '1' }, undefined],
  ])('%s', (_words, given, value) => {
    expect(JSON.stringify(reader.read(given))).toBe(JSON.stringify(value));
  });
  test('what is written is read as the same', () => {
    const value = { tags: [1, 2], rows: [{ n: 1.5 }, { ok: false }], open: { a: { b: 1 } } };
    const given: Record<string, string | string[]> = {};
    for (const [name, v] of deepEntries('q', value))
      given[name] = given[name] === undefined ? String(v) : [given[name], String(v)].flat();
    expect(reader.read(given)).toEqual(value);
  });
  test('names beyond the bounds are no names of it', () => {
    expect(reader.knows(`q[open]${'[a]'.repeat(20)}`)).toBe(false);
    expect(
      ['q[tags]', 'q[tags][]', 'q[tags][x]', 'q[rows][0][z]', 'q', 'qq[tags]'].map((n) => reader.knows(n)),
    ).toEqual([true, true, false, false, false, false]);
  });
});

describe('texts of a type that has several forms', () => {
  test.each([
    ['7', 204],
    ['q-north', 204],
    ['0', 400],
    ['north', 400],
  ])('the path parameter %s', async (id, status) => {
    expect((await ask(document, 'quays_delete', { path: { id } }, DONE)).status).toBe(status);
  });
  test.each<[JsonSchema, string, unknown]>([
    [{ oneOf: [{ type: 'integer' }, { type: 'string' }] }, '12', 12],
    [{ oneOf: [{ type: 'string' }, { type: 'integer', maximum: 9 }] }, '12', '12'],
    [{ anyOf: [{ type: 'boolean' }, { enum: ['auto'] }] }, 'true', true],
    [{ anyOf: [{ type: 'boolean' }, { enum: ['auto'] }] }, 'auto', 'auto'],
    [{ enum: [1, 2] }, '2', 2],
    [{ const: false }, 'false', false],
    [{ allOf: [{ type: 'number' }, { minimum: 3 }] }, '1', 1],
    [{ type: ['string', 'null'] }, '12', '12'],
    [{ type: 'integer' }, '007', '007'],
    [{}, '12', '12'],
  ])('%j: %s', (schema, text, value) => {
    expect(textReader(schema)(text)).toBe(value);
  });
});

describe('messages', () => {
  test('a merge document and a patch document are two bodies of one operation (RFC 7396, RFC 6902)', async () => {
    const patch = '[{"op":"replace","path":"/name","value":3}]';
    const type = 'application/json-patch+json';
    const ok = { text: '{"id":1,"name":"N","kind":"stone"}' };
    const r = await ask(
      document,
      'quays_patch',
      { path: { id: 1 }, headers: { 'content-type': type }, text: patch },
      ok,
    );
    expect([r.status, r.sent!.headers['content-type'], r.sent!.body.text()]).toEqual([200, type, patch]);
    const m = await ask(document, 'quays_patch', { path: { id: 1 }, body: { name: 'N' } }, ok);
    expect([m.status, m.sent!.headers['content-type']]).toEqual([200, 'application/merge-patch+json']);
    const bad = await ask(document, 'quays_patch', {
      path: { id: 1 },
      headers: { 'content-type': type },
      text: '[{"op":"move","path":"n"}]',
    });
    expect(bad.errors?.map((e) => e.split(':')[0])).toEqual(['/0/op enum', '/0/path pattern']);
  });
  test('if, then and dependentRequired hold in one of several forms', async () => {
    const at = { path: { imo: '1234567', kind: 'full' } };
    const ship = (text: string) => ask(document, 'ships_get', at, { text });
    expect((await ship('{"imo":"1","type":"tug","pull":120,"crew":3}')).status).toBe(200);
    expect((await ship('{"imo":"1","type":"tug","pull":120}')).inner).toBe('/crew crew is missing');
    expect((await ship('{"imo":"1","type":"barge"}')).inner).toBe('/type must be one of cargo, tug');
  });
});

describe('samples fit (ajv judges)', () => {
  const ajv = new Ajv2020({ strict: false, validateFormats: false });
  const forms: JsonSchema[] = [
    { type: 'object', required: ['a'], properties: { kind: { const: 'a' }, a: { type: 'integer' } } },
    { type: 'object', required: ['b'], properties: { kind: { const: 'b' }, b: { type: 'integer' } } },
  ];
  test.each<[string, JsonSchema]>([
    [
      'items by their places',
      { type: 'array', prefixItems: [{ type: 'integer' }, { type: 'string' }], minItems: 2, maxItems: 2 },
    ],
    [
      'and others behind them',
      { type: 'array', prefixItems: [{ type: 'integer' }], items: { type: 'string' }, minItems: 3 },
    ],
    [
      'numbers that differ',
      { type: 'array', items: { type: 'integer', multipleOf: 5 }, uniqueItems: true, minItems: 3 },
    ],
    ['words that differ', { type: 'array', items: { enum: ['x', 'y', 'z'] }, uniqueItems: true, minItems: 3 }],
    ['texts that differ', { type: 'array', items: { type: 'string' }, uniqueItems: true, minItems: 3 }],
    [
      'at most one member',
      {
        type: 'object',
        properties: { a: { type: 'string' }, b: { type: 'string' } },
        required: ['b'],
        maxProperties: 1,
      },
    ],
    [
      'one of several forms beside members',
      {
        type: 'object',
        required: ['kind', 'n'],
        properties: { kind: { type: 'string' }, n: { type: 'integer' } },
        oneOf: forms,
      },
    ],
    [
      'a member of which nothing is said',
      { type: 'object', required: ['any'], properties: { any: { description: 'whatever' } } },
    ],
  ])('%s', (_words, schema) => {
    const value = JSON.parse(JSON.stringify(sampleOf(schema, {}))) as unknown;
    const judge = ajv.compile(schema);
    expect([judge(value), value, ajv.errorsText(judge.errors)]).toEqual([true, value, 'No errors']);
  });
});
