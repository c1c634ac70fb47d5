import { beforeEach, describe, expect, test } from '@jest/globals';
import { buildSchema } from 'graphql';
import {
  compileApi,
  draftGraph,
  exportGraphql,
  graphOf,
  planQuery,
  readContract,
  type FlowDocument,
  type JsonSchema,
} from '../src';
import { ask, sent } from './graph-ask';
import { document, get } from './graph-world';

beforeEach(() => void sent.splice(0));

const ref = (name: string): JsonSchema => ({ $ref: `#/types/${name}` });
const object = (properties: Record<string, JsonSchema>, ...required: string[]): JsonSchema => ({
  type: 'object',
  properties,
  required,
});
const text: JsonSchema = { type: 'string' };

/** One operation whose reply has alternatives. */
const world = (reply: JsonSchema, types: Record<string, JsonSchema> = {}): FlowDocument => {
  const d = document();
  return {
    ...d,
    types: { ...d.types, ...types },
    operations: { ...d.operations, find: get('/found', reply, 'calls') },
  };
};
const sdl = (reply: JsonSchema, types?: Record<string, JsonSchema>): string => exportGraphql(world(reply, types));

const PLACES = {
  Berth: object({ kind: text, number: text, depth: { type: 'number' } }, 'kind', 'number'),
  Buoy: object({ kind: text, light: text }, 'kind'),
};

describe('alternatives of a schema', () => {
  test('are a union where all are objects', () => {
    const out = sdl({ oneOf: [ref('Berth'), ref('Buoy')], title: 'Place' }, PLACES);
    expect(out).toContain('union FindReply = Berth | Buoy');
    expect(out).toContain('find: FindReply');
    // The package reads what we write.
    expect(String(buildSchema(out).getType('FindReply'))).toBe('FindReply');
  });

  test('have the name of their type, items the one of their list; those without a name take it from title or place', () => {
    const types = {
      ...PLACES,
      Place: { oneOf: [ref('Berth'), { ...object({ a: text }), title: 'slip way' }, object({ b: text })] },
    };
    const out = sdl({ type: 'array', items: ref('Place') }, types);
    expect(out).toContain('union Place = Berth | PlaceSlipWay | Place3');
    expect(out).toContain('find: [Place!]');
  });

  test('within alternatives are members themselves, each once; null makes it nullable', () => {
    const types = {
      ...PLACES,
      Inner: { oneOf: [ref('Berth'), ref('Buoy')] },
      Outer: { anyOf: [ref('Inner'), ref('Buoy'), ref('Vessel'), { type: 'null' as const }] },
      Holder: object({ at: ref('Outer'), always: ref('Inner') }, 'at', 'always'),
    };
    const out = sdl(ref('Holder'), types);
    expect(out).toContain('union Outer = Berth | Buoy | Vessel');
    expect(out).toMatch(/at: Outer\n/);
    expect(out).toMatch(/always: Inner!\n/);
  });

  test.each<[string, JsonSchema]>([
    ['one is no object', { oneOf: [ref('Berth'), text] }],
    ['one may hold anything', { oneOf: [ref('Berth'), { type: 'object' }] }],
    ['members stand beside them', { ...object({ a: text }), oneOf: [ref('Berth'), ref('Buoy')] }],
    ['there is but one', { oneOf: [ref('Berth')] }],
  ])('are JSON where %s', (_what, schema) => {
    expect(sdl(schema, PLACES)).toContain('find: JSON');
  });

  test('of what goes in are JSON: GraphQL has no unions there', () => {
    const d = world(text, PLACES);
    const body = { mediaType: 'application/json', schema: { oneOf: [ref('Berth'), ref('Buoy')] } };
    const operations = {
      ...d.operations,
      put: { ...get('/put', text, 'calls'), method: 'POST' as const, request: body },
    };
    expect(exportGraphql({ ...d, operations })).toContain('put(input: JSON)');
  });
});

describe('a value says which form it has', () => {
  /** The backend answers with the three calls of the world: A has day and extra, all have numbers. */
  const seen = async (reply: JsonSchema, query: string, types?: Record<string, JsonSchema>) => {
    const d = world({ type: 'array', items: reply }, types);
    const r = await ask({ query }, { d });
    return r.body!;
  };

  test('by its discriminator', async () => {
    const item: JsonSchema = {
      oneOf: [ref('In'), ref('Out')],
      discriminator: { propertyName: 'kind', mapping: { 'in-bound': '#/types/In', outbound: '#/types/Out' } },
    };
    const types = { In: object({ number: text, kind: text }), Out: object({ number: text, kind: text }) };
    const { data, errors } = await seen(
      item,
      '{ find { __typename ... on In { number } ... on Out { kind } } }',
      types,
    );
    // B says "true", which is no label: the first that fits.
    expect(data.find).toEqual([
      { __typename: 'In', number: 'A' },
      { __typename: 'In', number: 'B' },
      { __typename: 'Out', kind: 'outbound' },
    ]);
    expect(errors).toBeUndefined();
  });

  test('by what it holds', async () => {
    const types = {
      Dated: object({ day: { type: 'string', format: 'date' }, number: text }, 'day'),
      Plain: object({ number: text }, 'number'),
    };
    const { data } = await seen(
      { oneOf: [ref('Dated'), ref('Plain')] },
      '{ find { ...d ... on Plain { n: number } } } fragment d on Dated { day }',
      types,
    );
    expect(data.find).toEqual([{ day: '2026-12-04' }, { n: 'B' }, { n: 'C' }]);
  });

  test('and one that has none of them is an error at its place, the others stay', async () => {
    const types = { Dated: object({ day: text }, 'day'), Odd: object({ odd: text }, 'odd') };
    const item: JsonSchema = { anyOf: [{ anyOf: [ref('Dated'), ref('Odd')] }, { type: 'null' }] };
    const { data, errors } = await seen(item, '{ find { ... on Dated { day } } }', types);
    expect(data.find).toEqual([{ day: '2026-12-04' }, null, null]);
    expect(errors!.map((e: { path: unknown; message: string }) => [e.path, e.message])).toEqual(
      [1, 2].map((n) => [['find', n], 'The backend answered with an object that is none of Dated, Odd.']),
    );
  });

  test('joins of members are looked up, and told beforehand', async () => {
    const d = world(
      { type: 'array', items: { oneOf: [ref('Call'), ref('Buoy')] } },
      { Buoy: object({ light: text }, 'light') },
    );
    d.graph = { joins: [{ type: 'Call', field: 'vessel', operation: 'getVessel', with: { vesselId: 'vesselId' } }] };
    const query = '{ find { ... on Call { number vessel { name } } } }';
    const { body } = await ask({ query }, { d });
    expect(body!.data.find.map((c: { vessel: { name: string } | null }) => c.vessel?.name)).toEqual([
      'Vessel v1',
      undefined,
      'Vessel v1',
    ]);
    expect(sent.filter((s) => s.includes('/vessels/'))).toHaveLength(2);
    expect(planQuery(graphOf(d).schema, query)).toMatchObject({
      calls: [
        { operation: 'find', field: 'find' },
        { operation: 'getVessel', field: 'find.vessel', after: 'find', each: 'find' },
      ],
    });
    compileApi(d);
  });
});

test('types that a WSDL derives from one are the members, with the names of the types and without $type', () => {
  const wsdl = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:test" targetNamespace="urn:test">
    <types><xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:test" elementFormDefault="qualified">
      <xs:complexType name="Craft" abstract="true"><xs:sequence><xs:element name="name" type="xs:string"/></xs:sequence></xs:complexType>
      <xs:complexType name="Ship"><xs:complexContent><xs:extension base="t:Craft"><xs:sequence><xs:element name="imo" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
      <xs:complexType name="Barge"><xs:complexContent><xs:extension base="t:Craft"><xs:sequence><xs:element name="towed" type="xs:boolean"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
      <xs:element name="In"><xs:complexType><xs:sequence/></xs:complexType></xs:element>
      <xs:element name="Out"><xs:complexType><xs:sequence><xs:element name="craft" type="t:Craft" maxOccurs="unbounded"/><xs:element name="own" type="t:Ship"/></xs:sequence></xs:complexType></xs:element>
    </xs:schema></types>
    <message name="i"><part name="p" element="t:In"/></message><message name="o"><part name="p" element="t:Out"/></message>
    <portType name="P"><operation name="getCraft"><input message="t:i"/><output message="t:o"/></operation></portType>
    <binding name="B" type="t:P"><soap:binding style="document" transport="http://schemas.xmlsoap.org/soap/http"/><operation name="getCraft"><soap:operation soapAction=""/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
    <service name="S"><port name="Q" binding="t:B"><soap:address location="http://s.example/"/></port></service>
  </definitions>`;
  const source = { entry: 'c.wsdl', files: { 'c.wsdl': wsdl } };
  const out = exportGraphql(draftGraph([{ contract: readContract(source), source }], { base: '/g' }));
  expect(out).toMatch(/union AnyCraft = Barge \| Ship|union AnyCraft = Ship \| Barge/);
  expect(out).toContain('craft: [AnyCraft!]!');
  expect(out).toContain('type Ship {\n  name: String!\n  imo: Int!\n}');
  expect(out).not.toMatch(/Variant|\$|_type/);
});
