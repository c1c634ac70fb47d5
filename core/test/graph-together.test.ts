import { beforeEach, describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  graphOf,
  planQuery,
  suggestJoins,
  type FlowDocument,
  type JsonSchema,
  type OperationDocument,
} from '../src';
import { ask, sent } from './graph-ask';
import { document, get } from './graph-world';

beforeEach(() => void sent.splice(0));

const ids = { name: 'id', in: 'query', schema: { type: 'array', items: { type: 'string' } } } as const;

/** The register answers many vessels at once. */
function world(list: object = {}, more: Partial<FlowDocument> = {}): FlowDocument {
  const d = document();
  return {
    ...d,
    operations: {
      ...d.operations,
      listVessels: get(
        '/vessels',
        {
          type: 'object',
          properties: { total: { type: 'integer' }, vessels: { type: 'array', items: { $ref: '#/types/Vessel' } } },
        },
        'vessels',
        {
          parameters: [ids],
          flow: [
            {
              kind: 'call',
              backend: 'vessels',
              path: '/vessels?{{ $join($map(query.id[], function($v) { "id=" & $v }), "&") }}',
            },
          ],
        },
      ),
    },
    graph: {
      joins: [
        {
          type: 'Call',
          field: 'vessel',
          operation: 'listVessels',
          with: { id: 'vesselId' },
          list: { by: 'id', items: '/vessels', ...list },
        },
      ],
    },
    ...more,
  };
}

describe('look-ups of a list', () => {
  test('are one call for all items, each value once; what is not found is null', async () => {
    const { body } = await ask(
      { query: '{ listCalls { number vessel { id name } v: vessel { metres } } }' },
      { d: world() },
    );
    expect(body!.errors).toBeUndefined();
    expect(body!.data.listCalls).toEqual([
      { number: 'A', vessel: { id: 'v1', name: 'Vessel v1' }, v: { metres: 7.5 } },
      { number: 'B', vessel: null, v: null },
      { number: 'C', vessel: { id: 'v1', name: 'Vessel v1' }, v: { metres: 7.5 } },
    ]);
    expect(sent.map((s) => s.replace(/page-size=|kind=|&$/g, ''))).toEqual([
      expect.stringContaining('/calls?'),
      'GET http://vessels.example/vessels?id=v1&id=v2',
    ]);
  });

  test('go in several calls where one takes fewer values', async () => {
    const { body } = await ask({ query: '{ listCalls { vessel { id } } }' }, { d: world({ most: 1 }) });
    expect(body!.data.listCalls.map((c: { vessel: unknown }) => c.vessel)).toEqual([{ id: 'v1' }, null, { id: 'v1' }]);
    expect(sent.slice(1)).toEqual([
      'GET http://vessels.example/vessels?id=v1',
      'GET http://vessels.example/vessels?id=v2',
    ]);
  });

  test('may be lists themselves; nothing found is an empty one', async () => {
    const { body } = await ask({ query: '{ listCalls { vessel { id } } }' }, { d: world({ all: true }) });
    expect(body!.data.listCalls.map((c: { vessel: unknown }) => c.vessel)).toEqual([
      [{ id: 'v1' }],
      [],
      [{ id: 'v1' }],
    ]);
  });

  test('that fail fail each field, and nothing else', async () => {
    const d = world();
    const { body } = await ask(
      { query: '{ listCalls { number vessel { id } } }' },
      {
        d: {
          ...d,
          operations: {
            ...d.operations,
            listVessels: {
              ...d.operations.listVessels!,
              flow: [{ kind: 'call', backend: 'vessels', path: '/vessels/broken' }],
            },
          },
        },
      },
    );
    expect(body!.data.listCalls.map((c: { number: string; vessel: unknown }) => [c.number, c.vessel])).toEqual([
      ['A', null],
      ['B', null],
      ['C', null],
    ]);
    const places = body!.errors!.map((e: { path: unknown[] }) => e.path.join('.')).sort();
    expect(places).toEqual([0, 1, 2].map((n) => `listCalls.${n}.vessel`));
    expect(sent).toHaveLength(2);
  });

  test('are told in the plan, and cost one call for so many', () => {
    const plan = planQuery(graphOf(world({ most: 4 })).schema, '{ listCalls { vessel { id } } }');
    expect(plan).toMatchObject({
      calls: [{ operation: 'listCalls' }, { operation: 'listVessels', each: 'listCalls', together: 4 }],
      // Ten calls at the port are assumed: three times four vessels.
      cost: 4,
    });
  });

  test('that cannot be are findings', () => {
    const messages = (d: FlowDocument) => checkDocument(d).flatMap((f) => (f.code === 'HNG-302' ? [f.message] : []));
    expect(messages(world())).toEqual([]);
    expect(messages(world({ items: '/ships' }))).toEqual([
      'the join Call.vessel cannot ask for many at once: listVessels has no list at /ships of its reply',
    ]);
    expect(messages(world({ by: 'number' }))[0]).toContain('has no number in the items of its list');
    const d = world();
    const [join] = d.graph!.joins!;
    const one = {
      ...d,
      graph: { joins: [{ ...join!, operation: 'listCalls', with: { kind: 'number' }, list: { by: 'number' } }] },
    };
    expect(messages(one)[0]).toContain('has no parameter that takes a list');
  });

  test('are suggested where a list takes many of the values that tell its items apart', () => {
    const d = world({}, { graph: undefined });
    const byId = {
      ...d,
      operations: { ...d.operations, getVessel: get('/vessels/{id}', { $ref: '#/types/Vessel' }, 'vessels') },
    };
    expect(suggestJoins(byId)).toEqual([
      {
        type: 'Call',
        field: 'vessel',
        operation: 'listVessels',
        with: { id: 'vesselId' },
        list: { by: 'id', items: '/vessels' },
      },
    ]);
  });

  test('are suggested for /things/{thingId} beside ?ids= too, and no more at once than come in one page', () => {
    const text: JsonSchema = { type: 'string' };
    const loom = { $ref: '#/types/Loom' };
    const suggested = (
      parameters: OperationDocument['parameters'],
      loomType: Record<string, JsonSchema> = { id: text },
    ) =>
      suggestJoins({
        ...world({}, { graph: undefined }),
        types: {
          Loom: { type: 'object', properties: { ...loomType } },
          Bolt: { type: 'object', properties: { loomId: text } },
        },
        operations: {
          getLoom: {
            ...get('/looms/{loomId}', loom, 'looms'),
            parameters: [{ name: 'loomId', in: 'path', required: true, schema: text }],
          },
          listLooms: { ...get('/looms', { type: 'array', items: loom }, 'looms'), parameters },
        },
      });
    const ids = (more: object = {}) => ({
      name: 'ids',
      in: 'query' as const,
      schema: { type: 'array' as const, items: text, ...more },
    });
    const limit = (value: number) => ({
      name: 'page_size',
      in: 'query' as const,
      schema: { type: 'integer' as const, default: value },
    });
    const together = { type: 'Bolt', field: 'loom', operation: 'listLooms', with: { ids: 'loomId' } };
    expect(suggested([ids()])).toEqual([{ ...together, list: { by: 'id' } }]);
    expect(suggested([ids({ maxItems: 50 }), limit(20)])).toEqual([{ ...together, list: { by: 'id', most: 20 } }]);
    expect(suggested([ids({ maxItems: 10 }), limit(20)])).toEqual([{ ...together, list: { by: 'id', most: 10 } }]);
    // Nothing in the type says which item is which: one by one.
    const single = { type: 'Bolt', field: 'loom', operation: 'getLoom', with: { loomId: 'loomId' } };
    expect(suggested([ids()], { number: text })).toEqual([single]);
    expect(suggested([{ ...ids(), name: 'tags' }])).toEqual([single]);
  });
});

describe('what a query may cost', () => {
  const d = document({ graph: { ...document().graph, limits: { cost: 21, listSize: 20 }, costs: { listCalls: 2 } } });
  const refused = async (query: string, variables?: object) =>
    (await ask({ query, variables }, { d })).body!.errors?.[0].message as string | undefined;

  test('is the cost of its calls, times the lists above; beyond it nothing is called', async () => {
    expect(await refused('{ listCalls { vessel { name } } }')).toBe(
      'The query may cost 22; at most 21 is allowed. Ask for shorter lists, or for less.',
    );
    expect(sent).toEqual([]);
    expect(await refused('{ listCalls(pageSize: 19) { vessel { name } } }')).toBeUndefined();
  });

  test('follows variables, their defaults, fragments and aliases', async () => {
    const sized = 'query Q($n: Int = 3) { listCalls(pageSize: $n) { ...v } } fragment v on Call { vessel { name } }';
    expect(await refused(sized)).toBeUndefined();
    expect(await refused(sized, { n: 20 })).toContain('may cost 22');
    expect(
      await refused('{ a: listCalls(pageSize: 9) { vessel { name } } b: listCalls(pageSize: 9) { vessel { name } } }'),
    ).toContain('may cost 22');
  });
});
