import { describe, expect, test } from '@jest/globals';
import { checkDocument, draftFor, readContract } from '../src';

const contractOf = (text: string) => readContract({ entry: 'a.yaml', files: { 'a.yaml': text } });
const HEAD = `openapi: 3.1.0\ninfo: { title: a, version: '1' }\npaths:\n`;
const FINE = `  /b: { get: { operationId: b, responses: { '200': { description: ok } } } }\n`;
const codes = (c: ReturnType<typeof contractOf>) =>
  c.findings.map((f) => `${f.code} ${f.message} (line ${f.place.line})`);

describe('references to nothing', () => {
  test('a schema that is not there may be anything, which is told once', () => {
    const one = (id: string) =>
      `  /${id}: { get: { operationId: ${id}, responses: { '200': { description: ok, content: { application/json: { schema: { type: array, items: { $ref: '#/components/schemas/Gone' } } } } } } } }\n`;
    const c = contractOf(HEAD + one('a') + one('c') + FINE);
    expect(codes(c)).toEqual([
      'HNG-128 the reference #/components/schemas/Gone leads to nothing; it may be anything (line 4)',
    ]);
    expect(c.operations.map((o) => [o.id, o.reply?.body])).toEqual([
      ['a', { type: 'array', items: {} }],
      ['c', { type: 'array', items: {} }],
      ['b', {}],
    ]);
  });
  test('anything else that is not there costs the operation alone', () => {
    const text = `${HEAD}  /a: { get: { operationId: a.1, parameters: [{ $ref: '#/components/parameters/Gone' }], responses: { '200': { description: ok } } } }\n${FINE}`;
    const c = contractOf(text);
    expect(codes(c)).toEqual([
      'HNG-123 the operation a.1 is called a_1 here (line 4)',
      'HNG-117 the operation a_1 cannot be called: the reference #/components/parameters/Gone leads to nothing (line 4)',
    ]);
    expect(c.operations.map((o) => [o.id, o.unusable])).toEqual([
      ['a_1', 'the reference #/components/parameters/Gone leads to nothing'],
      ['b', undefined],
    ]);
    const source = { entry: 'a.yaml', files: { 'a.yaml': text } };
    const d = draftFor(c, source, undefined, { address: 'http://backend.example' });
    expect(Object.keys(d.operations)).toEqual(['b']);
    expect(checkDocument(d).filter((f) => f.severity === 'error')).toEqual([]);
  });
  test('where no operation is left the whole is refused', () => {
    expect(() =>
      contractOf(`${HEAD}  /a: { get: { responses: { '200': { $ref: '#/components/responses/Gone' } } } }\n`),
    ).toThrow('the reference #/components/responses/Gone leads to nothing');
  });
  test('a file that was not given is asked for', () => {
    expect(() =>
      contractOf(`${HEAD}  /a: { get: { responses: { '200': { $ref: 'other.yaml#/x' } } } }\n${FINE}`),
    ).toThrow('other.yaml is referred to and was not given');
  });
});

test('a schema by its $anchor (JSON Schema 2020-12 §8.2.2)', () => {
  const c = contractOf(
    `${HEAD}  /a: { get: { operationId: a, responses: { '200': { description: ok, content: { application/json: { schema: { $ref: '#berth' } } } } } } }\ncomponents: { schemas: { Berth: { $anchor: berth, type: object, properties: { next: { $ref: '#berth' } } } } }\n`,
  );
  expect(c.operations[0]!.reply!.body).toEqual({ $ref: '#/types/Berth' });
  expect(c.types).toEqual({ Berth: { type: 'object', properties: { next: { $ref: '#/types/Berth' } } } });
  expect(c.findings).toEqual([]);
});
