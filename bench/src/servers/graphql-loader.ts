import DataLoader from 'dataloader';
import { XMLParser } from 'fast-xml-parser';
import { buildSchema, execute, parse, validate, type DocumentNode } from 'graphql';
import http from 'node:http';
import * as soap from 'soap';
import { Agent, request } from 'undici';

/**
 * The peer of the graph: the same part of the schema written by hand with `graphql`, `dataloader`, `soap`, `undici` and `fast-xml-parser` on `node:http`.
 * Queries are read and checked once, loaders live for one request.
 */
const [wsdl, origin] = process.argv.slice(2) as [string, string];
const agent = new Agent({ connections: 128, keepAliveTimeout: 60_000 });
const httpAgent = new http.Agent({ keepAlive: true, maxSockets: 128 });
const client = await soap.createClientAsync(wsdl, { endpoint: `${origin}/soap` }, `${origin}/soap`);
client.addSoapHeader({ 'b:officeCode': 'TH-22' }, '', 'b', 'urn:tarnhaven:berths:2');
type Call = (args: object, options: object) => Promise<[unknown]>;
const calls = client as unknown as { ListReservationsAsync: Call; GetBerthAsync: Call };
const list = calls.ListReservationsAsync.bind(client);
const berth = calls.GetBerthAsync.bind(client);
const xml = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '',
  removeNSPrefix: true,
  isArray: (name) => name === 'tide',
});

const schema = buildSchema(`
  scalar DateTime
  enum TideKind { HIGH LOW }
  enum Kind { VESSEL BARGE }
  type Query {
    listReservations(officeCode: String!): ListReservationsResponse
    getVessel(callNumber: String!): RegisteredVessel
    searchVessels: VesselList
    getBerth(id: String!, officeCode: String!): GetBerthResponse
    getTideTable(day: String!): TideTable
    getRoster(day: String!): Roster
  }
  type ListReservationsResponse { reservation: [Reservation!] }
  type VesselList { total: Int! vessels: [RegisteredVessel!]! }
  type Reservation { number: String! berth: String! vessel: Vessel }
  type Vessel { callNumber: String! vessel: RegisteredVessel }
  type RegisteredVessel { callNumber: String! name: String! kind: Kind! lengthMetres: Float! ownerDetails: Owner }
  type Owner { id: String! name: String! vessels: [String!]! }
  type GetBerthResponse { berth: Berth! }
  type Berth { number: String! quay: String! depthMetres: Float! }
  type TideTable { station: String! tides: [Tide!]! }
  type Tide { kind: TideKind! at: DateTime! heightMetres: Float! }
  type Roster { pilots: [Pilot!]! }
  type Pilot { name: String! free: Boolean! }
`);

const json = async (path: string): Promise<any> => (await request(origin + path, { dispatcher: agent })).body.json(); // eslint-disable-line @typescript-eslint/no-explicit-any
const text = async (path: string): Promise<string> => (await request(origin + path, { dispatcher: agent })).body.text();

interface Loaders {
  readonly vessels: DataLoader<string, object | null>;
  readonly owners: DataLoader<string, object>;
  readonly vessel: DataLoader<string, object>;
}
const loaders = (): Loaders => ({
  vessels: new DataLoader(async (numbers) => {
    const q = numbers.map((n) => `callNumber=${encodeURIComponent(n)}`).join('&');
    const { vessels } = (await json(`/vessels/vessels?${q}`)) as { vessels: { callNumber: string }[] };
    const by = new Map(vessels.map((v) => [v.callNumber, v]));
    return numbers.map((n) => by.get(n) ?? null);
  }),
  owners: new DataLoader((ids) => Promise.all(ids.map((id) => json(`/vessels/owners/${id}`) as Promise<object>))),
  vessel: new DataLoader((ns) => Promise.all(ns.map((n) => json(`/vessels/vessels/${n}`) as Promise<object>))),
});

const named = (type: string, fields: Record<string, unknown>): void => {
  const own = (schema.getType(type) as unknown as { getFields(): Record<string, { resolve?: unknown }> }).getFields();
  for (const [name, resolve] of Object.entries(fields)) own[name]!.resolve = resolve;
};
const soapOptions = { httpAgent };
named('Query', {
  listReservations: async () => {
    const [r] = (await list({}, soapOptions)) as [{ reservations?: { reservation?: object[] } }];
    return { reservation: asList(r.reservations?.reservation ?? (r as { reservation?: object[] }).reservation) };
  },
  searchVessels: () => json('/vessels/vessels'),
  getVessel: (_s: unknown, a: { callNumber: string }, c: Loaders) => c.vessel.load(a.callNumber),
  getBerth: async (_s: unknown, a: { id: string }) => (await berth({ id: a.id }, soapOptions))[0],
  getTideTable: async (_s: unknown, a: { day: string }) => {
    const { tideTable } = xml.parse(await text(`/tides/tables/${a.day}`)) as {
      tideTable: { station: string; tides: { tide: object[] } };
    };
    return { station: tideTable.station, tides: tideTable.tides.tide };
  },
  getRoster: (_s: unknown, a: { day: string }) => json(`/pilots/roster?day=${a.day}`),
});
named('Vessel', { vessel: (s: { callNumber: string }, _a: unknown, c: Loaders) => c.vessels.load(s.callNumber) });
named('RegisteredVessel', {
  ownerDetails: (s: { owner: { id: string } }, _a: unknown, c: Loaders) => c.owners.load(s.owner.id),
});
named('Reservation', { number: (s: { attributes: { number: string } }) => s.attributes.number });
named('Berth', { number: (s: { attributes: { number: string } }) => s.attributes.number });
const asList = (v: object | object[] | undefined): object[] => (v === undefined ? [] : Array.isArray(v) ? v : [v]);

const read = new Map<string, DocumentNode>();
const server = http.createServer((req, res) => {
  const query = new URL(req.url ?? '/', 'http://127.0.0.1').searchParams.get('query') ?? '';
  let document = read.get(query);
  if (!document) {
    document = parse(query);
    const errors = validate(schema, document);
    if (errors.length) throw errors[0]!;
    read.set(query, document);
  }
  void Promise.resolve(execute({ schema, document, contextValue: loaders() })).then((result) => {
    const body = JSON.stringify(result);
    res.writeHead(200, {
      'content-type': 'application/graphql-response+json; charset=utf-8',
      'content-length': Buffer.byteLength(body),
    });
    res.end(body);
  });
});
server.keepAliveTimeout = 60_000;
server.listen(0, '127.0.0.1', () => console.log(`port ${(server.address() as { port: number }).port}`));
