import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import {
  compileApi,
  draftFor,
  planFor,
  readContract,
  readSoap,
  rehearseCase,
  replySide,
  replyTypes,
  sampleOf,
  writeSoap,
  type ContractFiles,
} from '../src';
import { bodyOf, ownContract, wsdlAround, xsdJudge } from './files';

/** What frameworks that make services write into their contracts (common practice; no standard says that they must). */
const lighters = readContract(ownContract('lighters.wsdl'));
const operation = (id: string) => lighters.operations.find((o) => o.id === id)!;

describe('a table that brings its own schema', () => {
  const { output, faults, version } = operation('Load').soap!;
  const XML = `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><LoadResponse xmlns="urn:tarnhaven:lighters"><table><xs:schema id="t" xmlns="" xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="Row"/></xs:schema><d:rows xmlns:d="urn:d"><Row xmlns=""><N>1</N></Row></d:rows></table></LoadResponse></s:Body></s:Envelope>`;
  test('is read, the schema as any other XML that no schema describes', () => {
    const read = readSoap(XML, { message: output!, faults });
    expect(read).toMatchObject({
      kind: 'reply',
      faults: [],
      value: {
        body: { table: { schema: { '@id': 't', 'xs:element': { '@name': 'Row' } }, $any: [{ 'd:rows': {} }] } },
      },
    });
  });
  test('and written', () => {
    const { text, faults: wrong } = writeSoap(version, output!, {
      body: {
        table: {
          schema: { '@id': 't', '@xmlns:xs': 'http://www.w3.org/2001/XMLSchema', 'xs:element': { '@name': 'Row' } },
        },
      },
    });
    expect(wrong).toEqual([]);
    expect(bodyOf(text)).toMatch(/<xs:schema id="t"[^>]*><xs:element name="Row">/);
  });
  test('without its schema it is refused', () => {
    const read = readSoap(XML.replace(/<xs:schema.*<\/xs:schema>/, ''), { message: output!, faults });
    expect(read).toMatchObject({ faults: [{ pointer: '/table/schema', words: 'the element schema is missing' }] });
  });
});

describe('samples', () => {
  test.each(['Moor', 'ListNames', 'Load'])('%s: the sample of the reply is written, read and passes', async (id) => {
    const source = ownContract('lighters.wsdl');
    const document = draftFor(lighters, source, undefined, { address: 'http://backend.example' });
    const c = document.cases!.find((one) => one.operation === id)!;
    const body = sampleOf(replySide(operation(id).reply!.body, lighters.types), replyTypes(lighters.types));
    const { reply } = await rehearseCase(
      compileApi(document),
      { ...c, stubs: [{ backend: Object.keys(document.backends!)[0]!, body }] },
      { ports: { clock: { now: () => 0 }, backends: { send: () => Promise.reject(new Error('not stubbed')) } } },
    );
    expect([reply.status, reply.text]).toEqual([200, expect.stringMatching(/^\{/)]);
  });
  test('of a type with a pattern of its own is of the type: P is no duration', () => {
    const { order } = sampleOf(operation('Moor').request.body, lighters.types) as { order: Record<string, unknown> };
    expect(order).toMatchObject({
      For: 'P2D',
      Craft: { $type: 'Lighter', Id: expect.stringMatching(/^[0-9a-f-]{36}$/i) },
    });
  });
  test('bytes, and what no schema describes, go in a body', () => {
    expect(planFor(lighters).map((row) => `${row.method} ${row.path}`)).toEqual([
      'POST /moor',
      'GET /names',
      'POST /ping',
      'POST /load',
    ]);
  });
});

describe('a choice between runs of elements (XML Schema Part 1 §3.8.1)', () => {
  const run = (inner: string, occurs = '') =>
    wsdlAround(
      `<xs:element name="In"><xs:complexType><xs:sequence><xs:choice${occurs}>${inner}</xs:choice></xs:sequence></xs:complexType></xs:element><xs:element name="Out"><xs:complexType/></xs:element>`,
    );
  const one = (name: string, more = '') => `<xs:element name="${name}" type="xs:int"${more}/>`;
  const cases: [string, ContractFiles][] = [
    ['one or two', run(`${one('quay')}<xs:sequence>${one('lat')}${one('lon')}</xs:sequence>`)],
    [
      'or none',
      run(`${one('quay')}<xs:sequence>${one('lat')}${one('lon', ' minOccurs="0"')}</xs:sequence>`, ' minOccurs="0"'),
    ],
    [
      'a run within a run',
      run(
        `<xs:sequence>${one('quay')}<xs:sequence minOccurs="0">${one('lat')}</xs:sequence></xs:sequence><xs:sequence>${one('lon')}</xs:sequence>`,
      ),
    ],
    // Nothing is said of these in JSON Schema; the codec holds them.
    [
      'the same name in two',
      run(
        `<xs:sequence>${one('quay')}${one('lat')}</xs:sequence><xs:sequence>${one('lon')}${one('quay')}</xs:sequence>`,
      ),
    ],
    ['a run that may be empty', run(`${one('quay')}<xs:sequence>${one('lat', ' minOccurs="0"')}</xs:sequence>`)],
  ];
  test.each(cases)('%s: JSON Schema allows what the schema allows (libxml2 and ajv judge)', (_words, files) => {
    const contract = readContract(files);
    const [op] = contract.operations;
    const ajv = new Ajv2020({ strict: false, validateFormats: false });
    const body = op!.request.body.$ref
      ? contract.types[op!.request.body.$ref.slice('#/types/'.length)]!
      : op!.request.body;
    const allowed = ajv.compile(JSON.parse(JSON.stringify(body)) as object);
    const xsd = /<xs:schema[^]*<\/xs:schema>/
      .exec(files.files['test.wsdl']!)![0]
      .replace('<xs:schema', '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"');
    const judge = xsdJudge({ 'a.xsd': xsd }, 'a.xsd');
    let agreed = 0;
    for (let bits = 0; bits < 8; bits++) {
      const value = Object.fromEntries(['quay', 'lat', 'lon'].filter((_n, i) => bits & (1 << i)).map((n) => [n, 1]));
      const { text, faults } = writeSoap('1.1', op!.soap!.input, { body: value });
      const valid = faults.length === 0 && judge(bodyOf(text)) === undefined;
      if (valid) expect([value, allowed(value)]).toEqual([value, true]);
      if (valid === allowed(value)) agreed++;
    }
    const told = body.oneOf !== undefined;
    expect(told ? agreed : 8).toBe(8);
    const sample = sampleOf(op!.request.body, contract.types);
    if (told) expect(writeSoap('1.1', op!.soap!.input, { body: sample as object }).faults).toEqual([]);
  });
  test('is told for the first three', () => {
    const told = cases.map(([, files]) => JSON.stringify(readContract(files).types).includes('oneOf'));
    expect(told).toEqual([true, true, true, false, false]);
  });
});

describe('types of SOAP encoding that nobody brought (SOAP 1.1 §5)', () => {
  test('are those of XML Schema; its arrays hold any elements', () => {
    const contract = readContract(ownContract('encoded.wsdl'));
    expect(contract.operations.map((o) => [o.id, o.unusable])).toEqual([
      ['save', 'it is rpc/encoded, which no schema describes'],
      ['ping', undefined],
      ['list', undefined],
    ]);
    expect(contract.types.Pong!.properties!.b).toMatchObject({ type: 'integer', format: 'int32' });
    expect(contract.types.ArrayOfString!.properties).toMatchObject({
      arrayType: { type: 'string' },
      $any: { type: 'array' },
    });
  });
});

describe('a type that is not there', () => {
  const files = ownContract('encoded.wsdl');
  const text = files.files['encoded.wsdl']!;
  const broken = (from: string, to: string): ContractFiles => ({
    ...files,
    files: { 'encoded.wsdl': text.replace(from, to) },
  });
  test('costs the operations that need it, and is told with its place', () => {
    const contract = readContract(broken('name="b" type="soapenc:int"', 'name="b" type="tns:Nowhere"'));
    expect(contract.operations.map((o) => [o.id, o.unusable])).toEqual([
      ['save', 'it is rpc/encoded, which no schema describes'],
      ['ping', 'there is no type Nowhere in namespace urn:old'],
      ['list', undefined],
    ]);
    expect(contract.findings.find((f) => f.message.includes('ping'))).toMatchObject({
      code: 'HNG-117',
      place: { file: 'encoded.wsdl', line: 8 },
    });
    // Nothing of it is left behind half.
    expect(Object.keys(contract.types).sort()).toEqual(['ArrayOfString', 'List', 'ListResponse', 'Person']);
  });
  test('where all need it the whole is refused', () => {
    const all = text
      .replace('name="name" type="soapenc:string"', 'name="name" type="tns:Nowhere"')
      .replace('name="b" type="soapenc:int"', 'name="b" type="tns:Nowhere"');
    expect(() => readContract({ ...files, files: { 'encoded.wsdl': all } })).toThrow(
      'there is no type Nowhere in namespace urn:old',
    );
  });
});

describe('what a contract has besides', () => {
  test('bindings that are no SOAP are told, and the others read', () => {
    const files = ownContract('encoded.wsdl');
    const http = `<binding name="Plain" type="tns:P" xmlns:http="http://schemas.xmlsoap.org/wsdl/http/"><http:binding verb="GET"/></binding><service`;
    const text = files.files['encoded.wsdl']!.replace('<service', http).replace(
      '<service name="S">',
      '<service name="S"><port name="G" binding="tns:Plain"/>',
    );
    const contract = readContract({ ...files, files: { 'encoded.wsdl': text } });
    expect(contract.findings.filter((f) => f.code === 'HNG-128').map((f) => [f.message, f.place.line])).toEqual([
      ['the binding Plain (http://schemas.xmlsoap.org/wsdl/http/) is not SOAP over HTTP, and is not read', 19],
    ]);
    expect(contract.operations.map((o) => o.id)).toEqual(['save', 'ping', 'list']);
  });
  test('callbacks and webhooks are told', () => {
    const contract = readContract(ownContract('quays.yaml'));
    expect(contract.findings.filter((f) => f.code === 'HNG-128').map((f) => f.message)).toEqual([
      'callbacks are not read: done',
      'webhooks are not read: moored',
    ]);
  });
});
