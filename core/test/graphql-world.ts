import { buildSchema, execute, parse, validate } from 'graphql';
import { Body, compileApi, type BackendRequest, type ContractFiles, type FlowDocument } from '../src';

/** A GraphQL server of ships, executed by the package graphql, and one request to a document that calls it. */
export const SDL = `"""Ships of the town"""
schema { query: Query mutation: Mutation subscription: Subscription }
enum Kind { VESSEL BARGE }
scalar Money
interface Craft { id: ID! name: String! }
type Vessel implements Craft { id: ID! name: String! "In metres" length: Float kind: Kind! owner: Owner! dues: Money }
type Barge implements Craft { id: ID! name: String! holds: Int! length: Int }
type Owner { id: ID! name: String! fleet(first: Int = 10): [Vessel!]! town: Town }
type Town { name: String }
type Query {
  vessel(id: ID!): Vessel
  vessels(kind: Kind, first: Int, minLength: Float): [Vessel!]!
  craft(id: ID!): Craft
  weather: String!
}
input NewVessel { name: String! length: Float kind: Kind = VESSEL tags: [String!] }
type Mutation { addVessel(vessel: NewVessel!): Vessel! scrapVessel(id: ID!): Boolean! }
type Subscription { arrived: Vessel! }
`;
export const OPERATIONS = `
query OwnersOf($kind: Kind!, $most: Int = 2) { vessels(kind: $kind, first: $most) { ship: name owner { ...o } } }
query Both($id: ID!) { vessel(id: $id) { name } weather }
fragment o on Owner { name town { name } }
`;
export const files = (more: Record<string, string> = {}): ContractFiles => ({
  entry: 'ships.graphql',
  files: { 'ships.graphql': SDL, ...more },
});

const OWNER = { id: 'O-31', name: 'Kittiwake Agency', fleet: [], town: { name: 'Tarnhaven' } };
const VESSEL = {
  __typename: 'Vessel',
  id: 'TV-1',
  name: 'Grey Wagtail',
  length: 112.4,
  kind: 'VESSEL',
  owner: OWNER,
  dues: '12.40',
};
const root = {
  vessel: ({ id }: { id: string }) => {
    if (id === 'broken') throw new Error('the register is shut');
    return id === 'TV-1' ? VESSEL : null;
  },
  vessels: ({ kind, first }: { kind?: string; first?: number }) =>
    [VESSEL, { ...VESSEL, id: 'TV-2', kind: 'BARGE' }].filter((v) => !kind || v.kind === kind).slice(0, first ?? 9),
  craft: () => ({ __typename: 'Barge', id: 'B', name: 'Dipper', holds: 3, length: 40 }),
  weather: () => 'fog',
  addVessel: ({ vessel }: { vessel: object }) => ({ ...VESSEL, ...vessel, id: 'TV-9' }),
  scrapVessel: () => true,
};
export const server = buildSchema(SDL);
export const sent: { query: string; variables?: Record<string, unknown>; operationName?: string }[] = [];

/** A GraphQL server (GraphQL over HTTP). */
export async function serve(r: BackendRequest) {
  await r.body.load();
  const asked = JSON.parse(r.body.text()) as (typeof sent)[number];
  sent.push(asked);
  const document = parse(asked.query);
  const errors = validate(server, document);
  const result = errors.length
    ? { errors }
    : await execute({
        schema: server,
        document,
        rootValue: root,
        variableValues: asked.variables,
        operationName: asked.operationName,
      });
  const text = JSON.stringify(result);
  return {
    status: errors.length ? 400 : 200,
    headers: { 'content-type': 'application/graphql-response+json' },
    body: Body.ofText(text, 'application/graphql-response+json'),
  };
}

export async function ask(
  d: FlowDocument,
  operation: string,
  given: {
    path?: Record<string, string>;
    query?: Record<string, string>;
    body?: unknown;
    headers?: Record<string, string>;
    method?: string;
  },
  send: (r: BackendRequest) => ReturnType<typeof serve> = serve,
) {
  const entry = [...compileApi(d).operations.values()]
    .flat()
    .find((o) => o.id === operation && (!given.method || o.method === given.method))!;
  const outcome = await entry.handle(
    {
      ...{ method: entry.method, url: '/x', path: given.path ?? {}, query: given.query ?? {}, search: '', rest: '' },
      headers: {
        accept: 'application/json',
        ...(given.body !== undefined && { 'content-type': 'application/json' }),
        ...given.headers,
      },
      body: given.body === undefined ? Body.empty() : Body.ofText(JSON.stringify(given.body), 'application/json'),
    },
    {
      ports: { clock: { now: () => 0 }, backends: { send } },
      env: {},
      traceId: 't',
      outbound: { traceparent: '00-1' },
    },
  );
  await outcome.reply.body.load();
  const { body, status } = outcome.reply;
  return { status, body: body.isEmpty ? undefined : (JSON.parse(body.text()) as any), refusal: outcome.refusal }; // eslint-disable-line @typescript-eslint/no-explicit-any
}
