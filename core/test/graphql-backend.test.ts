import { describe, expect, test } from '@jest/globals';
import {
  Body,
  checkDocument,
  draftFor,
  draftGraph,
  exportGraphql,
  isGraphql,
  planFor,
  readContract,
  stubbed,
  type FlowDocument,
} from '../src';
import { getIntrospectionQuery, graphqlSync, parse, validate } from 'graphql';
import type { serve } from './graphql-world';
import { ask, files, OPERATIONS, SDL, sent, server } from './graphql-world';

/** GraphQL backends: the schema is executed by the package graphql, as a server would. */

describe('a GraphQL contract', () => {
  test('is told from others by its text', () => {
    expect(isGraphql(SDL)).toBe(true);
    expect(isGraphql('# a comment\n\n"""words"""\ntype A { a: Int }')).toBe(true);
    expect(isGraphql('query Q { a }')).toBe(true);
    expect(isGraphql('openapi: 3.1.0\ninfo: { title: type A }')).toBe(false);
    expect(isGraphql('type: object\nproperties: {}')).toBe(false);
    expect(isGraphql('{"openapi":"3.1.0"}')).toBe(false);
    expect(isGraphql(JSON.stringify(graphqlSync({ schema: server, source: getIntrospectionQuery() })))).toBe(true);
  });

  test('has an operation for each field, typed by its arguments and by what it asks for; each document is valid', () => {
    const c = readContract(files());
    expect(c.format).toBe('graphql');
    expect(c.operations.map((o) => o.id)).toEqual([
      'vessel',
      'vessels',
      'craft',
      'weather',
      'addVessel',
      'scrapVessel',
    ]);
    for (const o of c.operations) expect(validate(server, parse(o.graphql!.query))).toEqual([]);
    const [vessel, , craft] = c.operations;
    expect(vessel!.request.body).toEqual({
      type: 'object',
      properties: { id: { type: 'string' } },
      required: ['id'],
      additionalProperties: false,
    });
    expect(vessel!.graphql!.query).toBe(
      'query vessel($id: ID!) { vessel(id: $id) { id name length kind owner { id name town { name } } dues } }',
    );
    expect(vessel!.place).toMatchObject({ file: 'ships.graphql', line: 11 });
    expect(c.types.Vessel).toMatchObject({
      properties: {
        length: { type: ['number', 'null'], description: 'In metres' },
        kind: { type: 'string', enum: ['VESSEL', 'BARGE'] },
      },
      required: ['id', 'name', 'length', 'kind', 'dues'],
    });
    expect(c.types.NewVessel).toMatchObject({ required: ['name'], additionalProperties: false });
    // length is a Float here and an Int there: no query can ask for both by one name.
    expect(craft!.graphql!.query).toBe(
      'query craft($id: ID!) { craft(id: $id) { __typename id name ... on Vessel { length kind owner { id name fleet { id name length kind dues } town { name } } dues } ... on Barge { holds } } }',
    );
    expect(c.findings.map((f) => f.message)).toEqual(['subscriptions are left out: arrived']);
  });

  test('is read from an introspection result too', () => {
    const text = JSON.stringify(graphqlSync({ schema: server, source: getIntrospectionQuery() }));
    const c = readContract({ entry: 'schema.json', files: { 'schema.json': text } });
    expect(c.operations.map((o) => o.graphql)).toEqual(readContract(files()).operations.map((o) => o.graphql));
  });

  test('operations in a document beside it are operations of the contract, variables and selections typed', () => {
    const c = readContract(files({ 'mine.graphql': OPERATIONS }));
    const owners = c.operations.find((o) => o.id === 'OwnersOf')!;
    expect(owners.request.body).toMatchObject({
      required: ['kind'],
      properties: { most: { type: ['integer', 'null'] } },
    });
    expect(owners.reply!.body).toEqual({
      type: 'array',
      items: {
        type: 'object',
        properties: {
          ship: { type: 'string' },
          owner: {
            type: 'object',
            properties: {
              name: { type: 'string' },
              town: {
                type: ['object', 'null'],
                properties: { name: { type: ['string', 'null'] } },
                required: ['name'],
              },
            },
            required: ['name', 'town'],
          },
        },
        required: ['ship', 'owner'],
      },
    });
    expect(owners.graphql!.query).toContain('fragment o on Owner');
    expect(c.operations.find((o) => o.id === 'Both')!.graphql!.take).toBeUndefined();
  });

  test('two documents may have an operation of one name: each is sent under the name that it has', () => {
    const c = readContract(files({ 'a.graphql': 'query Fog { weather }', 'b.graphql': 'query Fog { w: weather }' }));
    expect(c.operations.slice(0, 2).map((o) => [o.id, o.graphql!.operationName])).toEqual([
      ['Fog', 'Fog'],
      ['Fog2', 'Fog'],
    ]);
  });

  test.each([
    ['type Query { a: Strnig }', /Unknown type "Strnig"/],
    ['type A { a: Int }', /has no type Query/],
    ['type Query { a: Int', /Syntax Error/],
  ])('%s is refused with its place', (text, words) => {
    expect(() => readContract({ entry: 'a.graphql', files: { 'a.graphql': text } })).toThrow(words);
    expect(() => readContract(files({ 'q.graphql': 'query A { nothing }' }))).toThrow(/Cannot query field "nothing"/);
  });
});

describe('drafted as REST', () => {
  const source = files({ 'mine.graphql': OPERATIONS });
  const contract = readContract(source);
  const d = draftFor(contract, source, planFor(contract), { address: 'http://ships.example/graphql' });

  test('reads are GET, one thing by its id, and without a finding', () => {
    expect(checkDocument(d).filter((f) => f.severity === 'error')).toEqual([]);
    expect(Object.entries(d.operations).map(([id, o]) => `${id} ${o.method} ${o.path}`)).toEqual([
      'OwnersOf GET /owners-of',
      'Both GET /both/{id}',
      'vessel GET /vessels/{id}',
      'vessels GET /vessels',
      'craft GET /crafts/{id}',
      'weather GET /weather',
      'addVessel POST /vessels',
      'scrapVessel POST /scrap-vessel',
    ]);
  });

  test('each answers, variables in their types', async () => {
    sent.splice(0);
    expect(await ask(d, 'vessel', { path: { id: 'TV-1' } })).toMatchObject({
      status: 200,
      body: { id: 'TV-1', name: 'Grey Wagtail', length: 112.4, owner: { town: { name: 'Tarnhaven' } } },
    });
    expect((await ask(d, 'vessels', { query: { kind: 'BARGE', first: '1' } })).body).toMatchObject([{ id: 'TV-2' }]);
    expect(sent[1]).toMatchObject({ operationName: 'vessels', variables: { kind: 'BARGE', first: 1 } });
    expect((await ask(d, 'weather', {})).body).toBe('fog');
    expect((await ask(d, 'craft', { path: { id: 'B' } })).body).toEqual({
      __typename: 'Barge',
      id: 'B',
      name: 'Dipper',
      holds: 3,
    });
    const made = await ask(d, 'addVessel', { body: { vessel: { name: 'New', tags: ['a'] } } });
    expect([made.status, made.body.id]).toEqual([201, 'TV-9']);
    expect((await ask(d, 'OwnersOf', { query: { kind: 'VESSEL' } })).body).toEqual([
      { ship: 'Grey Wagtail', owner: { name: 'Kittiwake Agency', town: { name: 'Tarnhaven' } } },
    ]);
    expect((await ask(d, 'Both', { path: { id: 'TV-1' } })).body).toEqual({
      vessel: { name: 'Grey Wagtail' },
      weather: 'fog',
    });
  });

  test('null is 404, an error is told with the server’s words, wrong input never leaves', async () => {
    expect(await ask(d, 'vessel', { path: { id: 'TV-0' } })).toMatchObject({
      status: 404,
      body: { title: 'There is none' },
    });
    const broken = await ask(d, 'vessel', { path: { id: 'broken' } });
    expect(broken).toMatchObject({ status: 502, body: { detail: 'the register is shut', fault: { code: 'GRAPHQL' } } });
    sent.splice(0);
    expect(await ask(d, 'vessels', { query: { first: 'many' } })).toMatchObject({ status: 400 });
    expect(await ask(d, 'addVessel', { body: { vessel: { nmae: 'x' } } })).toMatchObject({ status: 400 });
    expect(sent).toEqual([]);
  });

  test('codes of errors have statuses where the step says so; data beside errors is taken only leniently', async () => {
    const coded = (value: unknown) => () =>
      Promise.resolve({
        status: 200,
        headers: { 'content-type': 'application/json' },
        body: Body.ofText(JSON.stringify(value), 'application/json'),
      });
    const error = { message: 'too many', extensions: { code: 'BUSY' } };
    const [map, call, back] = d.operations.weather!.flow;
    const mapped: FlowDocument = {
      ...d,
      cases: [],
      operations: {
        weather: {
          ...d.operations.weather!,
          flow: [map!, { ...call!, faults: { BUSY: { status: 429, title: 'Busy' } } } as typeof call & object, back!],
        },
      },
    };
    expect(checkDocument(mapped).filter((f) => f.severity === 'error')).toEqual([]);
    expect(await ask(mapped, 'weather', {}, coded({ data: null, errors: [error] }))).toMatchObject({
      status: 429,
      body: { title: 'Busy', fault: { code: 'BUSY' } },
    });
    const both = coded({ data: { weather: 'fog' }, errors: [error] });
    expect((await ask(d, 'weather', {}, both)).status).toBe(502);
    const [name] = Object.keys(d.backends!);
    const lenient = { ...d, backends: { [name!]: { ...d.backends![name!]!, reply: 'lenient' as const } } };
    expect(await ask(lenient, 'weather', {}, both)).toMatchObject({ status: 200, body: 'fog' });
  });

  test.each([
    [{ data: { weather: 7 } }, 502, /must be string|must be/],
    [{ data: {} }, 502, /no data/],
    [{ hello: 1 }, 502, /neither data nor errors/],
    ['no json', 502, /./],
  ])('an answer that breaks the contract is a 502: %j', async (value, status, words) => {
    const r = await ask(d, 'weather', {}, () =>
      Promise.resolve({
        status: 200,
        headers: { 'content-type': 'application/json' },
        body: Body.ofText(typeof value === 'string' ? value : JSON.stringify(value), 'application/json'),
      }),
    );
    expect(r.status).toBe(status);
    expect(r.refusal!.options.inner).toMatch(words);
  });

  test('is rehearsed against an answer that a case holds', async () => {
    const backend = Object.keys(d.backends!)[0]!;
    const nobody = { send: () => Promise.reject(new Error('nobody is asked')) };
    const answering = (stub: object) => {
      const answers = stubbed(d, [{ backend, operation: 'weather', ...stub }], nobody);
      return ask(d, 'weather', {}, (r) => answers.send(r) as ReturnType<typeof serve>);
    };
    expect(await answering({ body: '{"data":{"weather":"sun"}}' })).toMatchObject({ status: 200, body: 'sun' });
    expect(await answering({ fault: { name: 'BUSY', reason: 'too many' } })).toMatchObject({
      status: 502,
      body: { fault: { code: 'BUSY', reason: 'too many' } },
    });
  });
});

describe('behind a graph of ours', () => {
  const source = files();
  const d = draftGraph([{ contract: readContract(source), source }], {
    base: '/ships',
    address: 'http://ships.example/graphql',
  });
  const query = (q: string, more: FlowDocument['graph'] = {}, extra: object = {}) =>
    ask({ ...d, graph: { ...d.graph, ...more } }, 'graph', {
      body: { query: q, ...extra },
      method: 'POST',
      headers: { accept: 'application/graphql-response+json' },
    });

  test('it is drafted without a finding, and shows the schema of the backend', () => {
    expect(checkDocument(d).filter((f) => f.severity === 'error')).toEqual([]);
    expect(d.graph?.backend).toBe('ships');
    expect(exportGraphql(d)).toContain('fleet(first: Int = 10): [Vessel!]!');
  });

  test('a checked query goes on as it is, variables too; what it says of its types is answered here', async () => {
    sent.splice(0);
    const q = 'query A($id: ID!) { v: vessel(id: $id) { name } }';
    expect(await query(q, {}, { variables: { id: 'TV-1' } })).toMatchObject({
      status: 200,
      body: { data: { v: { name: 'Grey Wagtail' } } },
    });
    expect(sent).toEqual([{ query: q, variables: { id: 'TV-1' } }]);
    const broken = await query('{ vessel(id: "broken") { name } }');
    expect(broken.body.errors[0]).toMatchObject({ message: 'the register is shut', path: ['vessel'] });
    sent.splice(0);
    expect((await query('{ __schema { queryType { name } } }')).body).toEqual({
      data: { __schema: { queryType: { name: 'Query' } } },
    });
    expect((await query('{ nothing }')).status).toBe(400);
    expect(sent).toEqual([]);
  });

  test('depth, cost, introspection and kept queries are checked as for any graph', async () => {
    sent.splice(0);
    const deep = '{ vessels { owner { fleet { owner { name } } } } }';
    expect((await query(deep, { limits: { depth: 3 } })).body.errors[0].message).toContain('deeper than 3');
    // 1 list, its 10 owners, their fleets of 10, and 100 owners each of those: objects count, lists multiply.
    expect((await query(deep, { limits: { cost: 120 } })).body.errors[0].message).toContain('may cost 121');
    expect((await query('{ __schema { queryType { name } } }', { limits: { introspection: false } })).status).toBe(400);
    expect((await query('{ weather }', { onlyQueries: true, queries: { a: '{ vessels { id } }' } })).status).toBe(400);
    expect((await query('subscription { arrived { id } }')).status).toBe(406);
    expect(sent).toEqual([]);
  });

  test('one that cannot be read is a 502, one that is away a 503', async () => {
    const html = () =>
      Promise.resolve({
        status: 200,
        headers: { 'content-type': 'text/html' },
        body: Body.ofText('<html>', 'text/html'),
      });
    expect((await ask(d, 'graph', { body: { query: '{ weather }' }, method: 'POST' }, html)).status).toBe(502);
    expect(checkDocument({ ...d, graph: { backend: 'none' } }).map((f) => f.message)).toContain(
      'there is no backend none',
    );
    const alone = { ...d, graph: { subscriptions: { by: 'websocket' as const } } };
    expect(checkDocument(alone).map((f) => f.message)).toContain(
      'graph.subscriptions says how a backend is asked, and no backend answers this graph',
    );
  });
});
