import { beforeEach, describe, expect, test } from '@jest/globals';
import { buildSchema, parse, getOperationAST } from 'graphql';
import {
  Body,
  checkDocument,
  compileApi,
  draftGraph,
  fieldsAsked,
  OwnCounters,
  readContract,
  sha256,
  type CallContext,
  type FlowDocument,
  type Incoming,
} from '../src';
import { ask as askOwn, sent as calls } from './graph-ask';
import { document } from './graph-world';
import { ask, files, SDL, sent, serve } from './graphql-world';

/** Guards of single fields of a graph: here of one that a GraphQL backend answers. */
const source = files();
const KEY = 'osprey';
const keyed = async (
  fields: NonNullable<NonNullable<FlowDocument['graph']>['fields']>,
  more: Partial<FlowDocument> = {},
): Promise<FlowDocument> => {
  const d = draftGraph([{ contract: readContract(source), source }], { address: 'http://ships.example/graphql' });
  return {
    ...d,
    apps: { desk: { name: 'Harbour desk', keys: [await sha256(KEY)] } },
    graph: { ...d.graph, fields },
    ...more,
  };
};
const DUES = { 'Vessel.dues': { guards: [{ kind: 'key' as const }] } };
const own = { accept: 'application/graphql-response+json' };
const query = (d: FlowDocument, text: string, headers: Record<string, string> = {}, variables?: unknown) =>
  ask(d, 'graph', { method: 'POST', body: { query: text, variables }, headers });

beforeEach(() => void (sent.length = 0));

describe('a guard of a field', () => {
  test('refuses a request that names it, before anything is called, and says which and where', async () => {
    const d = await keyed(DUES);
    const { status, body } = await query(d, '{ vessel(id: "TV-1") { name dues } }', own);
    expect(status).toBe(401);
    expect(body.data).toBeUndefined();
    expect(body.errors).toHaveLength(1);
    expect(body.errors[0]).toMatchObject({
      message: 'Vessel.dues may not be asked for: A valid key is needed, in the header X-API-Key.',
      locations: [{ line: 1, column: 29 }],
      extensions: { status: 401, problem: { type: '/problems/hng-410' } },
    });
    expect(sent).toHaveLength(0);
  });

  test('is nothing to a request that does not name it', async () => {
    const { status, body } = await query(await keyed(DUES), '{ vessel(id: "TV-1") { name } weather }', own);
    expect([status, body]).toEqual([200, { data: { vessel: { name: 'Grey Wagtail' }, weather: 'fog' } }]);
  });

  test('lets in whoever has the key; the backend does not see it', async () => {
    const asked = '{ vessel(id: "TV-1") { name dues } }';
    const { status, body } = await query(await keyed(DUES), asked, { ...own, 'x-api-key': KEY });
    expect([status, body.data]).toEqual([200, { vessel: { name: 'Grey Wagtail', dues: '12.40' } }]);
    expect(sent.map((s) => s.query)).toEqual([asked]);
    const outcome = await outcomeOf(await keyed(DUES), asked, { 'x-api-key': KEY });
    expect(outcome.identity?.app).toEqual({ id: 'desk', name: 'Harbour desk' });
  });

  test('answers older clients with 200 and the error (GraphQL over HTTP §6.4.1)', async () => {
    const { status, body } = await query(await keyed(DUES), '{ vessel(id: "TV-1") { dues } }');
    expect([status, body.errors[0].extensions.status]).toEqual([200, 401]);
  });

  test('counts each request once, however often the field is named', async () => {
    const d = await keyed({ 'Query.vessel': { guards: [{ kind: 'rate', calls: 2, seconds: 60, per: 'operation' }] } });
    const twice = '{ a: vessel(id: "TV-1") { name } b: vessel(id: "TV-1") { name } }';
    const results = await entries(d, [twice, twice, twice, '{ weather }']);
    expect(results).toEqual([200, 200, 429, 200]);
  });

  test('of several fields: the plan of the caller counts the request once', async () => {
    const d = await keyed(
      { ...DUES, 'Query.weather': { guards: [{ kind: 'key' }] } },
      {
        plans: { trial: { guards: [{ kind: 'rate', calls: 2, seconds: 60 }] } },
        apps: { desk: { name: 'Harbour desk', keys: [await sha256(KEY)], plan: 'trial' } },
      },
    );
    const both = '{ vessel(id: "TV-1") { dues } weather }';
    expect(await entries(d, [both, both, both], { 'x-api-key': KEY })).toEqual([200, 200, 429]);
  });

  test('that does not exist in the graph is a finding, with the fields there are', async () => {
    const d = await keyed({
      'Vessel.due': { guards: [{ kind: 'key' }] },
      'Boat.dues': { guards: [{ kind: 'key' }] },
      'Kind.VESSEL': { guards: [{ kind: 'key' }] },
      'Query.weather': { guards: [{ kind: 'schema' }] },
      ...DUES,
    });
    const told = checkDocument(d).filter((f) => f.code === 'HNG-333');
    expect(told.map((f) => [f.message, f.place.pointer])).toEqual([
      ['the type Vessel has no field due to guard', '/graph/fields/Vessel.due'],
      ['the graph has no type Boat with fields', '/graph/fields/Boat.dues'],
      ['the graph has no type Kind with fields', '/graph/fields/Kind.VESSEL'],
      ['the guard schema does nothing at the field Query.weather', '/graph/fields/Query.weather/guards/0'],
    ]);
  });
});

const request = (text: string, headers: Record<string, string>): Incoming => ({
  ...{ method: 'POST', url: '/x', path: {}, query: {}, search: '', rest: '' },
  headers: { ...own, 'content-type': 'application/json', ...headers },
  body: Body.ofText(JSON.stringify({ query: text }), 'application/json'),
});
const context = (counters = new OwnCounters(() => 0)): CallContext => ({
  ports: { clock: { now: () => 0 }, backends: { send: serve }, counters },
  ...{ env: {}, traceId: 't', outbound: {} },
});
const graphOf = (d: FlowDocument) => [...compileApi(d).operations.values()].flat().find((o) => o.id === 'graph')!;
const outcomeOf = (d: FlowDocument, text: string, headers: Record<string, string>) =>
  graphOf(d).handle(request(text, headers), context());

/** Statuses of requests to one compiled document, one behind the other. */
async function entries(d: FlowDocument, texts: readonly string[], headers = {}): Promise<(number | undefined)[]> {
  const graph = graphOf(d);
  // As in a gateway: one for all guards.
  const counters = new OwnCounters(() => 0);
  const out: (number | undefined)[] = [];
  for (const text of texts) out.push((await graph.handle(request(text, headers), context(counters))).reply.status);
  return out;
}

describe("a graph of the document's own operations", () => {
  const guarded = () =>
    document({ graph: { ...document().graph, fields: { 'Vessel.name': { guards: [{ kind: 'key' }] } } } });

  test('is guarded too: joined fields as those of an operation; nothing is called', async () => {
    calls.splice(0);
    for (const text of ['{ getVessel(vesselId: "v1") { name } }', '{ listCalls { vessel { name } } }']) {
      const { status, headers, body } = await askOwn({ query: text }, { d: guarded() });
      expect([status, body!.data, body!.errors![0].message]).toEqual([
        401,
        undefined,
        'Vessel.name may not be asked for: A valid key is needed, in the header X-API-Key.',
      ]);
      // RFC 9110 §11.6.1: a 401 says what is wanted.
      expect(headers['www-authenticate']).toContain('ApiKey realm=');
    }
    expect(calls).toEqual([]);
    const free = await askOwn({ query: '{ listCalls { number } }' }, { d: guarded() });
    expect([free.status, free.headers['www-authenticate']]).toEqual([200, undefined]);
  });
});

describe('which fields a request asks for', () => {
  const schema = buildSchema(SDL);
  const names = ['Vessel.dues', 'Vessel.name', 'Craft.name', 'Query.weather', 'Barge.holds', 'Mutation.scrapVessel'];
  const asked = (text: string, operationName?: string) => {
    const document = parse(text);
    const operation = getOperationAST(document, operationName)!;
    return [...fieldsAsked(schema, { document, operation }, names).keys()].sort();
  };

  test.each<[string, string, string[]]>([
    ['itself', '{ weather }', ['Query.weather']],
    ['under another name', '{ dues: weather }', ['Query.weather']],
    ['within a list', '{ vessels { owner { fleet { dues } } } }', ['Vessel.dues']],
    ['by a fragment', '{ vessel(id: 1) { ...f } } fragment f on Vessel { dues }', ['Vessel.dues']],
    ['by an inline fragment', '{ craft(id: 1) { ... on Barge { holds } } }', ['Barge.holds']],
    ['by its interface', '{ craft(id: 1) { name } }', ['Craft.name', 'Vessel.name']],
    ['of another type alone', '{ craft(id: 1) { ... on Barge { name } } }', ['Craft.name']],
    ['left out by a directive', 'query Q($no: Boolean!) { weather @include(if: $no) }', ['Query.weather']],
    ['of a mutation', 'mutation { scrapVessel(id: 1) }', ['Mutation.scrapVessel']],
    ['none', '{ __typename vessel(id: 1) { id } }', []],
  ])('%s', (_words, text, wanted) => expect(asked(text)).toEqual(wanted));

  test('of several operations only those of the one that is asked', () => {
    const text = 'query A { vessel(id: 1) { ...f } } query B { weather } fragment f on Vessel { dues }';
    expect([asked(text, 'A'), asked(text, 'B')]).toEqual([['Vessel.dues'], ['Query.weather']]);
  });
});
