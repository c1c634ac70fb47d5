import { describe, expect, test } from '@jest/globals';
import {
  checkDocument,
  draftRest,
  exportOpenApi,
  jsonataName,
  planProblems,
  planRest,
  placesFor,
  readWsdl,
  referencesIn,
  resolveLocation,
} from '../src';
import { readXmlTree } from '../src/xml';
import { berths, wsdlAround } from './files';

/** The row that one operation of this name with this request and reply would get. */
function row(name: string, request: string, reply = '<xs:element name="r" type="xs:string"/>') {
  const files = wsdlAround(
    `<xs:element name="In"><xs:complexType><xs:sequence>${request}</xs:sequence></xs:complexType></xs:element><xs:element name="Out"><xs:complexType><xs:sequence>${reply}</xs:sequence></xs:complexType></xs:element>`,
  );
  const text = files.files['test.wsdl']!.replaceAll('name="Do"', `name="${name}"`);
  const source = { ...files, files: { 'test.wsdl': text } };
  const contract = readWsdl(source);
  expect(checkDocument(draftRest(contract, source))).toEqual([]);
  return planRest(contract)[0]!;
}
const brief = (r: ReturnType<typeof row>) =>
  `${r.method} ${r.path} ${r.status} ${r.fields.map((f) => `${f.name}:${f.place}`).join(' ')}`.trim();
const string = (name: string, more = '') => `<xs:element name="${name}" type="xs:string" ${more}/>`;

describe('what a colleague would have written', () => {
  test.each([
    ['GetVessel', string('id'), 'GET /vessels/{id} 200 id:path'],
    ['getVesselByCallNumber', string('callNumber'), 'GET /vessels/{callNumber} 200 callNumber:path'],
    ['GetCities', '', 'GET /cities 200'],
    ['GetTariff', string('from') + string('to'), 'GET /tariff 200 from:query to:query'],
    ['ListOrders', string('state', 'minOccurs="0"'), 'GET /orders 200 state:query'],
    [
      'SearchVessels',
      '<xs:element name="c"><xs:complexType><xs:sequence><xs:element name="name" type="xs:string" minOccurs="0"/><xs:element name="flag" type="xs:string" minOccurs="0" maxOccurs="9"/></xs:sequence></xs:complexType></xs:element>',
      'GET /vessels 200 name:query flag:query',
    ],
    [
      'FindRoutes',
      '<xs:element name="leg" maxOccurs="unbounded"><xs:complexType><xs:sequence><xs:element name="from" type="xs:string"/><xs:element name="to" type="xs:string"/></xs:sequence></xs:complexType></xs:element>',
      'POST /routes/query 200 leg:body',
    ],
    ['CreateBooking', string('who'), 'POST /bookings 201 who:body'],
    ['RegisterVessel', string('name'), 'POST /registrations 201 name:body'],
    ['UpdateVessel', string('vesselId') + string('name'), 'PATCH /vessels/{vesselId} 200 vesselId:path name:body'],
    ['ReplaceVessel', string('id') + string('name'), 'PUT /vessels/{id} 200 id:path name:body'],
    ['DeleteVessel', string('id'), 'DELETE /vessels/{id} 200 id:path'],
    [
      'RemoveVessel',
      string('id') +
        '<xs:element name="why"><xs:complexType><xs:sequence><xs:element name="a" type="xs:string" maxOccurs="3"/></xs:sequence><xs:attribute name="b" type="xs:int"/></xs:complexType></xs:element>',
      'DELETE /vessels/{id} 200 id:path a:query b:query',
    ],
    ['ComputeDues', string('tonnage'), 'POST /compute-dues 200 tonnage:body'],
  ])('%s', (name, request, want) =>
    expect(brief(row(name, request)).replace(/(a:query) (b:query)|(b:query) (a:query)/, 'a:query b:query')).toBe(want),
  );

  test('a reply without content is a 204', () => expect(row('DeleteVessel', string('id'), '').status).toBe(204));

  test('fields may go where the method lets them', () => {
    const r = row('GetVessel', string('id'));
    expect(placesFor(r, r.fields[0]!)).toEqual(['path', 'query', 'header']);
    expect(placesFor({ ...r, method: 'POST' }, r.fields[0]!)).toEqual(['path', 'query', 'header', 'body']);
    expect(placesFor({ ...r, method: 'POST' }, { ...r.fields[0]!, simple: false })).toEqual(['body']);
  });
});

test('names that JSONata would misread are quoted', () => {
  expect(['id', 'call-number', 'and', '2nd', 'a b'].map(jsonataName)).toEqual([
    'id',
    '`call-number`',
    '`and`',
    '`2nd`',
    '`a b`',
  ]);
});

test('what the schema leaves open is said at import, once for each type', () => {
  const contract = readWsdl(
    wsdlAround(
      '<xs:complexType name="Open" mixed="true"><xs:sequence><xs:any minOccurs="0"/></xs:sequence></xs:complexType><xs:element name="In"><xs:complexType><xs:sequence><xs:element name="a" type="Open"/><xs:element name="b" type="Open"/></xs:sequence></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>',
    ),
  );
  expect(contract.findings.map((f) => `${f.code} ${f.message.split(' has ')[1]!.split(';')[0]}`)).toEqual([
    'HNG-118 mixed content',
  ]);
  expect(contract.findings[0]!.place.line).toBeGreaterThan(0);
});

test('a choice is a rule of the published schema, and faults with a status of their own are in the document', () => {
  const source = berths();
  const document = draftRest(readWsdl(source), source);
  const call = document.operations.GetBerth!.flow[1]!;
  if (call.kind === 'call') call.faults = { UnknownBerth: { status: 404 } };
  const exported = exportOpenApi(document) as {
    components: { schemas: Record<string, { oneOf?: unknown }> };
    paths: Record<string, { get: { responses: Record<string, { description: string; content: object }> } }>;
  };
  expect(exported.components.schemas.ReserveBerth!.oneOf).toEqual([{ required: ['vessel'] }, { required: ['barge'] }]);
  const missing = exported.paths['/berths/{id}']!.get.responses['404']!;
  expect(missing.description).toBe('UnknownBerth');
  expect(JSON.stringify(missing.content)).toContain('"asked"');
});

describe('places of imported documents', () => {
  test.each([
    ['a/b.wsdl', 'c.xsd', 'a/c.xsd'],
    ['a/b.wsdl', '../c.xsd', 'c.xsd'],
    ['b.wsdl', './x/../c.xsd', 'c.xsd'],
    ['http://h/a/b.wsdl', '../c.xsd', 'http://h/c.xsd'],
    ['http://h/a?wsdl', 'a?xsd=1', 'http://h/a?xsd=1'],
    ['b.wsdl', 'http://h/c.xsd', 'http://h/c.xsd'],
    ['a/b.wsdl', '/abs/c.xsd', '/abs/c.xsd'],
  ])('%s + %s = %s', (base, location, want) => expect(resolveLocation(base, location)).toBe(want));

  test('are found in types, in schemas, and in wsdl:import; namespaces alone name none', () => {
    const found = (xml: string) => referencesIn(readXmlTree(xml, 'x')).map((r) => r.location);
    expect(
      found(
        '<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/" xmlns:x="http://www.w3.org/2001/XMLSchema"><w:import location="a.wsdl" namespace="n"/><w:types><x:schema><x:import namespace="n"/><x:include schemaLocation="b.xsd"/></x:schema></w:types></w:definitions>',
      ),
    ).toEqual(['a.wsdl', 'b.xsd']);
    expect(
      found('<x:schema xmlns:x="http://www.w3.org/2001/XMLSchema"><x:redefine schemaLocation="c.xsd"/></x:schema>'),
    ).toEqual(['c.xsd']);
  });
});

test('an operation with a header block that is no simple value has a body, and overloaded ones have paths of their own', () => {
  const contract = readWsdl(
    wsdlAround(
      '<xs:element name="In"><xs:complexType><xs:sequence><xs:element name="id" type="xs:string"/></xs:sequence></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/><xs:element name="Ticket"><xs:complexType><xs:sequence><xs:element name="no" type="xs:int"/></xs:sequence></xs:complexType></xs:element>',
    ),
  );
  const ticket = { name: 'ticket', required: true, schema: { $ref: '#/types/Ticket' } };
  const of = (name: string, id: string, headers: readonly unknown[]) => {
    const op = contract.operations[0]!;
    return { ...op, id, name, request: { ...op.request, headers } } as (typeof contract.operations)[number];
  };
  const plan = planRest({
    ...contract,
    operations: [
      of('FindShip', 'FindShip', [ticket]),
      of('GetShip', 'GetShip', [ticket]),
      of('DeleteShip', 'DeleteShip', [ticket]),
      of('Move', 'Move', []),
      of('Move', 'Move_2', []),
      of('Move', 'Move_3', []),
      of('FindShip', 'FindShip_2', []),
    ],
  });
  expect(plan.map((r) => `${r.method} ${r.path}`)).toEqual([
    'POST /ships/query',
    'POST /ship/query',
    'POST /ships/{id}/removal',
    'POST /move',
    'POST /move-2',
    'POST /move-3',
    'GET /ships',
  ]);
  expect(plan[0]!.note).toBe('a header block needs a body');
  expect([...planProblems(plan).keys()]).toEqual([]);
});
