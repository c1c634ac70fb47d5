import { expect, test } from '@jest/globals';
import { graphql, validateSchema } from 'graphql';
import { checkDocument, draftGraph, exportGraphql, graphOf, planQuery, readContract, suggestJoins } from '../src';
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

test('Link Objects are joins where all that is needed comes from the reply (OpenAPI 3.1 §4.8.20)', async () => {
  const reply = (type: string) => ({
    description: 'x',
    content: { 'application/json': { schema: { $ref: `#/components/schemas/${type}` } } },
  });
  const byId = (name: string) => ({ name, in: 'path', required: true, schema: { type: 'string' } });
  const files = {
    'a.json': JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'one', version: '1' },
      paths: {
        '/vessels/{callNumber}': {
          get: {
            operationId: 'getVessel',
            parameters: [byId('callNumber')],
            responses: {
              '200': {
                ...reply('Vessel'),
                links: {
                  'owner details': { operationId: 'getOwner', parameters: { 'path.id': '$response.body#/owner/id' } },
                  agent: { operationId: 'GETAGENT', parameters: { name: '$response.body#/agent' } },
                  nobody: { operationId: 'getNobody', parameters: {} },
                  open: { operationId: 'getOwner', parameters: {} },
                  foreign: { operationId: 'getOwner', parameters: { id: '$request.path.callNumber' } },
                },
              },
            },
          },
        },
        '/owners/{id}': {
          get: { operationId: 'getOwner', parameters: [byId('id')], responses: { '200': reply('Owner') } },
        },
        '/agents/{name}': {
          get: { operationId: 'getAgent', parameters: [byId('name')], responses: { '200': reply('Owner') } },
        },
      },
      components: {
        schemas: {
          Vessel: {
            type: 'object',
            properties: {
              agent: { type: 'string' },
              owner: { type: 'object', properties: { id: { type: 'string' } } },
            },
          },
          Owner: { type: 'object', properties: { name: { type: 'string' } } },
        },
      },
    }),
  };
  const source = { entry: 'a.json', files };
  const d = draftGraph([{ contract: readContract(source), source }], { base: '/g', address: 'http://127.0.0.1:1' });
  expect(d.graph?.joins).toEqual([
    { type: 'Vessel', field: 'ownerDetails', operation: 'getOwner', with: { id: '/owner/id' } },
    { type: 'Vessel', field: 'agentLinked', operation: 'getAgent', with: { name: 'agent' } },
  ]);
  expect(validateSchema(graphOf(d).schema)).toEqual([]);
  const asked: unknown[] = [];
  const { data } = await graphql({
    schema: graphOf(d).schema,
    source: '{ getVessel(callNumber: "TV-1") { ownerDetails { name } agentLinked { name } } }',
    contextValue: {
      call: (c: { operation: string; path: object }) => {
        asked.push([c.operation, c.path]);
        return Promise.resolve({
          status: 200,
          value: c.operation === 'getVessel' ? { owner: { id: 'O-31' } } : { name: 'Kittiwake' },
        });
      },
    },
  });
  // No agent stands there: nobody is asked.
  expect(JSON.parse(JSON.stringify(data))).toEqual({
    getVessel: { ownerDetails: { name: 'Kittiwake' }, agentLinked: null },
  });
  expect(asked).toEqual([
    ['getVessel', { callNumber: 'TV-1' }],
    ['getOwner', { id: 'O-31' }],
  ]);
});

test('the plan of a query says which calls, behind which, and how often, before anything is called', () => {
  const { schema } = graphOf(
    document({
      graph: { joins: [{ type: 'Call', field: 'vessel', operation: 'getVessel', with: { id: 'vesselId' } }] },
    }),
  );
  const plan = (q: string) => planQuery(schema, q);
  expect(
    plan(
      '{ listCalls { number vessel { name } ...c } one: getVessel(vesselId: "1") { name } } fragment c on Call { v: vessel { name } }',
    ),
  ).toEqual({
    kind: 'query',
    // One list, two look-ups for each of its ten items, and one more.
    cost: 22,
    calls: [
      { field: 'listCalls', operation: 'listCalls' },
      { field: 'listCalls.vessel', operation: 'getVessel', after: 'listCalls', each: 'listCalls' },
      { field: 'listCalls.v', operation: 'getVessel', after: 'listCalls', each: 'listCalls' },
      { field: 'one', operation: 'getVessel' },
    ],
  });
  expect(plan('{ nobody }')).toMatch(/Cannot query field/);
  expect(plan('{')).toMatch(/Syntax Error/);
  expect(plan('fragment c on Call { number }')).toMatch(/never used|no query/);
  expect(planQuery(schema, 'query a { getVessel(vesselId: "1") { name } }', 'b')).toBe('there is no operation b');
});
