import { beforeEach, describe, expect, test } from '@jest/globals';
import {
  buildClientSchema,
  buildSchema,
  getIntrospectionQuery,
  printSchema,
  validateSchema,
  type IntrospectionQuery,
} from 'graphql';
import {
  Body,
  checkDocument,
  compileApi,
  exportGraphql,
  graphOf,
  rehearse,
  type FlowDocument,
  type OperationDocument,
} from '../src';
import { ask, sent } from './graph-ask';
import { document, get } from './graph-world';

beforeEach(() => void sent.splice(0));

describe('the schema', () => {
  test('is valid, exported as it is served, and says what the contract says', async () => {
    const { schema, findings } = graphOf(document());
    expect(validateSchema(schema)).toEqual([]);
    expect(findings).toEqual([]);
    const sdl = exportGraphql(document());
    expect(printSchema(buildSchema(sdl))).toBe(sdl.trimEnd());
    const { body } = await ask({ query: getIntrospectionQuery({ specifiedByUrl: true, schemaDescription: true }) });
    expect(printSchema(buildClientSchema(body!.data as IntrospectionQuery))).toBe(sdl.trimEnd());
    expect(sdl).toContain('listCalls(kind: String, pageSize: Int): [Call!]');
    expect(sdl).toContain('getVessel(vesselId: String!): Vessel');
    expect(sdl).toContain('addCall(input: NewCallInput!): Call');
    expect(sdl).toContain('dropCall(number: String!): Boolean');
    expect(sdl).toContain('"""A call at the port"""');
    expect(sdl).toMatch(
      /type Call \{[^}]*vesselId: String![^}]*kind: CallKind![^}]*day: Date[^}]*tons: Long![^}]*notes: String\n[^}]*extra: JSON/,
    );
    expect(sdl).toMatch(/enum CallKind \{\s+in_bound\s+outbound\s+_true\s+\}/);
    expect(sdl).not.toContain('hidden');
  });

  test('names that clash are told apart and told', () => {
    const d = document();
    const twice: FlowDocument = {
      ...d,
      types: {
        ...d.types,
        'New-Call': { type: 'object', properties: { a: { type: 'string' } } },
        call: { type: 'object', properties: { b: { type: 'string' } } },
      },
      operations: { ...d.operations, ListCalls: get('/more', { $ref: '#/types/call' }, 'calls') },
    };
    const codes = checkDocument(twice).filter((f) => f.code === 'HNG-326');
    expect(codes.map((f) => f.message).join()).toContain('ListCalls is listCalls2 there');
    expect(validateSchema(graphOf(twice).schema)).toEqual([]);
    expect(validateSchema(graphOf({ ...d, operations: {}, graph: undefined }).schema)).toEqual([]);
  });
});

describe('a query', () => {
  test('is answered with exactly what it asks for; the same vessel is asked for once', async () => {
    const { status, type, body } = await ask({
      query:
        '{ listCalls(kind: "x", pageSize: 3) { number kind day tons notes extra vessel_id: vesselId vessel { name metres } } }',
    });
    expect([status, type]).toEqual([200, 'application/graphql-response+json; charset=utf-8']);
    expect(body!.errors).toBeUndefined();
    expect(body!.data.listCalls).toEqual([
      {
        number: 'A',
        kind: 'in_bound',
        day: '2026-12-04',
        tons: 5_000_000_000,
        notes: null,
        extra: { any: [1] },
        vessel_id: 'v1',
        vessel: { name: 'Vessel v1', metres: 7.5 },
      },
      { number: 'B', kind: '_true', day: null, tons: 1, notes: 'n', extra: null, vessel_id: 'v2', vessel: null },
      {
        number: 'C',
        kind: 'outbound',
        day: null,
        tons: 2,
        notes: null,
        extra: null,
        vessel_id: 'v1',
        vessel: { name: 'Vessel v1', metres: 7.5 },
      },
    ]);
    // Least possible: one list, and one call for each vessel that differs.
    expect(sent).toEqual([
      'GET http://calls.example/calls?kind=x&page-size=3',
      'GET http://vessels.example/vessels/v1',
      'GET http://vessels.example/vessels/v2',
    ]);
  });

  test('variables, enumerations and names of the contract go into the call; a mutation calls every time', async () => {
    const query =
      'mutation M($c: NewCallInput!) { a: addCall(input: $c) { number kind } b: addCall(input: $c) { number } dropCall(number: "A/1") }';
    const { body } = await ask({
      query,
      variables: { c: { vessel_id: 'v9', kind: 'in_bound', tons: '9007199254740991' } },
    });
    // The member vessel-id is vesselId where nothing else is called so.
    expect(body!.errors?.[0].message ?? '').toContain('vessel_id');
    const right = await ask({
      query,
      variables: { c: { vesselId: 'v9', kind: 'in_bound', tons: '9007199254740991' } },
    });
    expect(right.body).toEqual({ data: { a: { number: 'A', kind: 'in_bound' }, b: { number: 'A' }, dropCall: true } });
    const call = 'POST http://calls.example/calls {"vessel-id":"v9","kind":"in-bound","tons":9007199254740991}';
    expect(sent).toEqual([call, call, 'DELETE http://calls.example/calls/A%2F1']);
  });

  test('an operation that fails is an error of its field, with status and problem; the rest is there', async () => {
    const { status, body } = await ask({
      query:
        '{ a: getVessel(vesselId: "broken") { name } b: getVessel(vesselId: "v1") { name } c: getVessel(vesselId: "v2") { name } }',
    });
    expect(status).toBe(200);
    expect(body!.data).toEqual({ a: null, b: { name: 'Vessel v1' }, c: null });
    expect(body!.errors!.map((e) => [e.path, e.extensions.status])).toEqual([
      [['a'], 500],
      [['c'], 404],
    ]);
    expect(body!.errors![1].message).toBe('No such vessel');
  });

  test.each([
    ['{ nothing }', 400],
    ['{ listCalls { number ', 400],
    ['query A { __typename } query B { __typename }', 400],
    ['{ getVessel { name } }', 400],
    ['{ getVessel(vesselId: 3) { name } }', 400],
  ])('%s is refused before anything is called', async (query, status) => {
    const own = await ask({ query });
    expect([own.status, own.body!.data, own.body!.errors!.length > 0, sent]).toEqual([status, undefined, true, []]);
    const plain = await ask({ query }, { accept: 'application/json' });
    expect([plain.status, plain.type, plain.body!.errors!.length > 0]).toEqual([
      200,
      'application/json; charset=utf-8',
      true,
    ]);
  });

  test('depth, number of fields and introspection are bounded', async () => {
    const limited = (limits: object): FlowDocument => document({ graph: { ...document().graph, limits } });
    const deep = await ask({ query: '{ listCalls { vessel { name } } }' }, { d: limited({ depth: 2 }) });
    expect([deep.status, deep.body!.errors![0].extensions.code, sent]).toEqual([400, 'HNG-413', []]);
    const aliases = Array.from({ length: 30 }, (_, i) => `a${i}: getVessel(vesselId: "v1") { ...F }`).join(' ');
    const wide = await ask(
      { query: `{ ${aliases} } fragment F on Vessel { a: name b: name c: name }` },
      { d: limited({ fields: 100 }) },
    );
    expect(wide.body!.errors![0].message).toContain('more than 100 fields');
    const closed = await ask({ query: '{ __schema { types { name } } }' }, { d: limited({ introspection: false }) });
    expect(closed.status).toBe(400);
  });
});

describe('over HTTP', () => {
  test('GET queries; a mutation by GET is refused; bodies that are no requests say so', async () => {
    const read = await ask(
      { query: 'query Q($v: String!) { getVessel(vesselId: $v) { name } }', variables: { v: 'v1' } },
      { method: 'GET' },
    );
    expect(read.body).toEqual({ data: { getVessel: { name: 'Vessel v1' } } });
    const write = await ask({ query: 'mutation { dropCall(number: "A") }' }, { method: 'GET' });
    expect([write.status, write.headers.allow]).toEqual([405, 'POST']);
    expect((await ask('{"query": ')).status).toBe(400);
    expect((await ask('[]')).status).toBe(400);
    expect((await ask({})).body!.detail).toContain('query is missing');
    expect((await ask({ query: '{ __typename }', variables: [1] })).status).toBe(400);
    expect((await ask('query=x', { type: 'text/plain' })).status).toBe(415);
    expect((await ask({ query: '' }, { method: 'GET' })).status).toBe(400);
  });

  test('guards of the door act once for a query', async () => {
    const d = document({ guards: [{ kind: 'rate', calls: 1, seconds: 60 }] });
    const both = await ask(
      { query: '{ a: getVessel(vesselId: "v1") { name } b: getVessel(vesselId: "v3") { name } }' },
      { d },
    );
    expect(both.body!.errors).toBeUndefined();
    const key = await ask({ query: '{ __typename }' }, { d: document({ guards: [{ kind: 'key' }] }) });
    expect(key.status).toBe(401);
  });

  describe('guards of a single operation', () => {
    const guarded = (
      guards: NonNullable<OperationDocument['guards']>,
      operation = 'getVessel',
      more: Partial<FlowDocument> = {},
    ) => {
      const d = document(more);
      return { ...d, operations: { ...d.operations, [operation]: { ...d.operations[operation]!, guards } } };
    };
    // SHA-256 of "abc": FIPS 180-2, appendix B.1.
    const apps = {
      quay: { keys: ['ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'], plan: 'slow' },
    };

    test('refuse the field, whoever was let in at the door; the rest of the query is answered', async () => {
      const d = guarded([{ kind: 'key' }], 'getVessel', { apps });
      const query = '{ listCalls { number vessel { name } } }';
      const without = await ask({ query }, { d });
      expect(without.body!.data.listCalls[0]).toEqual({ number: 'A', vessel: null });
      expect(without.body!.errors![0]).toMatchObject({ path: ['listCalls', 0, 'vessel'], extensions: { status: 401 } });
      expect(sent).toEqual(['GET http://calls.example/calls?kind=&page-size=']);
      const wrong = await ask({ query }, { d, headers: { 'x-api-key': 'abd' } });
      expect(wrong.body!.errors![0].extensions.status).toBe(401);
      const right = await ask({ query }, { d, headers: { 'x-api-key': 'abc' } });
      expect(right.body!.data.listCalls[0].vessel).toEqual({ name: 'Vessel v1' });
    });

    test('see the key that the door took out of the request, in the query too', async () => {
      const d = guarded([{ kind: 'key' }], 'getVessel', { apps, guards: [{ kind: 'key' }] });
      const query = '{ getVessel(vesselId: "v1") { name } }';
      const both = await ask({ query }, { d, headers: { 'x-api-key': 'abc' } });
      expect(both.body).toEqual({ data: { getVessel: { name: 'Vessel v1' } } });
    });

    test('count each call, and the plan of an app that only the field knows acts', async () => {
      const query = '{ a: getVessel(vesselId: "v1") { name } b: getVessel(vesselId: "v3") { name } }';
      const counted = await ask({ query }, { d: guarded([{ kind: 'rate', calls: 1, seconds: 60, per: 'operation' }]) });
      expect(counted.body!.data).toEqual({ a: { name: 'Vessel v1' }, b: null });
      expect(counted.body!.errors![0]).toMatchObject({ path: ['b'], extensions: { status: 429 } });
      const plans = { slow: { guards: [{ kind: 'rate' as const, calls: 1, seconds: 60 }] } };
      const planned = await ask(
        { query },
        { d: guarded([{ kind: 'key' }], 'getVessel', { apps, plans }), headers: { 'x-api-key': 'abc' } },
      );
      // Fields are asked for at once: which of the two has its key looked up first is nobody's promise.
      const { a, b } = planned.body!.data as Record<string, unknown>;
      expect([a, b].filter((v) => v === null)).toHaveLength(1);
      expect(planned.body!.errors!.map((e) => e.extensions.status)).toEqual([429]);
    });

    test('look at the size of what the operation gets, not of the query', async () => {
      const d = guarded([{ kind: 'size', maxBytes: 20 }], 'addCall');
      const query = 'mutation ($v: String!) { addCall(input: { vesselId: $v }) { number } }';
      expect((await ask({ query, variables: { v: 'v1' } }, { d })).body!.errors).toBeUndefined();
      const large = await ask({ query, variables: { v: 'x'.repeat(30) } }, { d });
      expect(large.body!.errors![0].extensions.status).toBe(413);
    });
  });
});

test('a rehearsal shows the query as a step with the calls inside it', async () => {
  const entry = compileApi(document())
    .operations.get('graph')!
    .find((o) => o.method === 'POST')!;
  const text = JSON.stringify({ query: '{ getVessel(vesselId: "v1") { name } }' });
  const r = await rehearse(
    entry,
    {
      ...{ method: 'POST', url: '/graph', path: {}, query: {}, search: '', rest: '' },
      headers: { 'content-type': 'application/json' },
      body: Body.ofText(text, 'application/json'),
    },
    {
      ports: {
        clock: { now: () => 0 },
        backends: {
          send: async () => ({
            status: 200,
            headers: { 'content-type': 'application/json' },
            body: Body.ofText('{"id":"v1","name":"Whimbrel"}', 'application/json'),
          }),
        },
      },
      env: {},
      traceId: 't',
      outbound: {},
    },
  );
  expect(r.reply.text).toBe('{"data":{"getVessel":{"name":"Whimbrel"}}}');
  expect(r.steps.map((s) => [s.at, s.kind, s.taken])).toEqual(
    expect.arrayContaining([
      ['/0', 'graph', true],
      ['/0/calls/0/inner/0', 'call', true],
    ]),
  );
  expect(r.steps.find((s) => s.kind === 'graph')!.notes).toMatchObject({ calls: 1, saved: 0 });
});
