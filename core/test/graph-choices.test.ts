import { describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  graphOf,
  joinOperations,
  joinParts,
  joinTypes,
  joinValues,
  joinWords,
  openJoins,
  type FlowDocument,
} from '../src';

const vessel = { $ref: '#/types/Vessel' };
const document: FlowDocument = {
  hinge: 1,
  api: { name: 'Port', version: '1' },
  doors: [{ name: 'graph', path: '/graph', answers: 'graphql' }],
  types: {
    Vessel: {
      type: 'object',
      properties: { id: { type: 'string' }, metres: { type: 'number' }, open: { type: 'boolean' } },
    },
    Call: {
      type: 'object',
      properties: {
        vesselId: { type: 'string' },
        tugs: { type: 'array', items: { type: 'string' } },
        lines: { type: 'array', items: { type: 'object', properties: { n: { type: 'integer' } } } },
        pilot: {
          anyOf: [{ type: 'object', properties: { 'no/of~it': { type: ['integer', 'null'] } } }, { type: 'null' }],
        },
        next: { $ref: '#/types/Call' },
      },
    },
    Kind: { type: 'string', enum: ['tug', 'ferry'] },
  },
  operations: {
    getVessel: {
      method: 'GET',
      path: '/vessels/{id}',
      parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
      reply: { status: 200, schema: vessel },
      flow: [{ kind: 'reply', from: '{}' }],
    },
    listVessels: {
      method: 'GET',
      path: '/vessels',
      parameters: [
        { name: 'ids', in: 'query', schema: { type: 'array', items: { type: 'string' } } },
        { name: 'kind', in: 'query', schema: { $ref: '#/types/Kind' } },
      ],
      reply: { status: 200, schema: { type: 'object', properties: { found: { type: 'array', items: vessel } } } },
      flow: [{ kind: 'reply', from: '{}' }],
    },
    plain: {
      method: 'GET',
      path: '/plain',
      reply: { status: 200, schema: { type: 'array', items: vessel } },
      flow: [{ kind: 'reply', from: '[]' }],
    },
    getCall: {
      method: 'GET',
      path: '/call',
      reply: { status: 200, schema: { $ref: '#/types/Call' } },
      flow: [{ kind: 'reply', from: '{}' }],
    },
    make: {
      method: 'POST',
      path: '/vessels',
      reply: { status: 201, schema: vessel },
      flow: [{ kind: 'reply', from: '{}' }],
    },
    mute: { method: 'GET', path: '/mute', flow: [{ kind: 'reply', from: '{}' }] },
  },
};

describe('what a join can be made of', () => {
  test('types that are objects; operations that are safe and answer something', () => {
    expect(joinTypes(document)).toEqual(['Vessel', 'Call']);
    expect(joinOperations(document)).toEqual(['getVessel', 'listVessels', 'plain', 'getCall']);
    expect(joinTypes({ ...document, types: undefined })).toEqual([]);
  });

  test('values: text and numbers, lists of them, and those of objects within by pointer, as deep as one looks', () => {
    const values = joinValues(document, 'Call');
    expect(values.slice(0, 3)).toEqual(['vesselId', 'tugs', '/pilot/no~1of~0it']);
    expect(values).toContain('/next/next/vesselId');
    expect(values.some((v) => v.startsWith('/next/next/next'))).toBe(false);
    expect(joinValues(document, 'Vessel')).toEqual(['id', 'metres']);
    expect(joinValues(document, 'none')).toEqual([]);
  });

  test('parameters and lists of an operation', () => {
    expect(joinParts(document, 'listVessels')).toEqual({
      parameters: [
        { name: 'ids', needed: false, many: true },
        { name: 'kind', needed: false, many: false },
      ],
      lists: [{ items: '/found', by: ['id'] }],
    });
    expect(joinParts(document, 'getVessel')).toEqual({
      parameters: [{ name: 'id', needed: true, many: false }],
      lists: [],
    });
    expect(joinParts(document, 'plain').lists).toEqual([{ items: '', by: ['id'] }]);
    expect(joinParts(document, 'none')).toEqual({ parameters: [], lists: [] });
  });

  test('what is offered makes a graph without findings, and is offered no more once it is there', () => {
    const [first, ...more] = openJoins(document);
    expect(more).toEqual([]);
    expect(first).toMatchObject({ operation: 'listVessels', with: { ids: 'vesselId' }, list: { by: 'id' } });
    const joined = { ...document, graph: { joins: [first!] } };
    expect(openJoins(joined)).toEqual([]);
    expect(graphOf(joined).findings).toEqual([]);
    expect(graphOf(joined).schema.getType('Call')!.toConfig()).toMatchObject({ fields: { vessel: {} } });
    // Every value that is offered can be looked up by: the check of the document has nothing against it.
    for (const value of joinValues(document, 'Call')) {
      const by = { type: 'Call', field: 'vessel', operation: 'getVessel', with: { id: value } };
      expect(
        checkDocument({ ...document, graph: { joins: [by] } }).filter((f) => f.place.pointer?.startsWith('/graph')),
      ).toEqual([]);
    }
  });

  test('in words', () => {
    expect(joinWords({ type: 'Call', field: 'vessel', operation: 'getVessel', with: { id: 'vesselId' } })).toBe(
      'id from vesselId',
    );
    const list = { by: 'id', items: '/found', most: 20 };
    expect(joinWords({ type: 'Call', field: 'tugs', operation: 'listVessels', with: { ids: 'tugs' }, list })).toBe(
      'ids from tugs; together, up to 20, told apart by id',
    );
    expect(joinWords({ type: 'Call', field: 'all', operation: 'plain', with: {}, list: { by: 'id' } })).toBe(
      'together, up to 100, told apart by id',
    );
  });
});
