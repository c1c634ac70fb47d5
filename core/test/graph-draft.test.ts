import { expect, test } from '@jest/globals';
import { validateSchema } from 'graphql';
import { checkDocument, draftGraph, exportGraphql, graphOf, readContract, suggestJoins } from '../src';
import { document, get } from './graph-world';

test('several contracts become one graph; what clashes is named after its backend', () => {
  const contract = (title: string, extra: object) => {
    const files = {
      'a.json': JSON.stringify({
        openapi: '3.1.0',
        info: { title, version: '1' },
        servers: [{ url: `http://${title}.example` }],
        paths: {
          '/items/{id}': {
            get: {
              operationId: 'getItem',
              parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
              responses: {
                '200': {
                  description: 'x',
                  content: { 'application/json': { schema: { $ref: '#/components/schemas/Item' } } },
                },
              },
            },
          },
        },
        components: { schemas: { Item: { type: 'object', properties: { id: { type: 'string' }, ...extra } } } },
      }),
    };
    const source = { entry: 'a.json', files };
    return { contract: readContract(source), source };
  };
  const d = draftGraph(
    [contract('one', { a: { type: 'string' } }), contract('two', { b: { type: 'string' } }), contract('two', {})],
    { base: '/g' },
  );
  expect(Object.keys(d.operations)).toEqual(['getItem', 'two_getItem', 'two2_getItem']);
  expect(Object.keys(d.types!)).toEqual(['Item', 'TwoItem', 'Two2Item']);
  expect(checkDocument(d).filter((f) => f.severity === 'error')).toEqual([]);
  expect(validateSchema(graphOf(d).schema)).toEqual([]);
  expect(exportGraphql(d)).toContain('two_getItem(id: String!): TwoItem');
  expect(d.operations.two2_getItem!.path).toBe('/two2/items/{id}');
});

test('joins are suggested from names, types and paths', () => {
  const d = document({ graph: undefined });
  expect(suggestJoins(d)).toEqual([
    { type: 'Call', field: 'vessel', operation: 'getVessel', with: { vesselId: 'vesselId' } },
  ]);
  const byId = {
    ...d,
    operations: { ...d.operations, getVessel: get('/vessels/{id}', { $ref: '#/types/Vessel' }, 'vessels') },
  };
  expect(suggestJoins(byId)).toEqual([
    { type: 'Call', field: 'vessel', operation: 'getVessel', with: { id: 'vesselId' } },
  ]);
  const wrong = checkDocument(
    document({ graph: { joins: [{ type: 'Call', field: 'x', operation: 'dropCall', with: {} }] } }),
  );
  expect(wrong.map((f) => [f.code, f.place.pointer])).toContainEqual(['HNG-302', '/graph/joins/0']);
});
