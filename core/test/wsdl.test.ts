import { describe, expect, test } from '@jest/globals';
import {
  collectContract,
  draftRest,
  HingeError,
  LIMITS,
  planRest,
  readSoap,
  portAddress,
  readWsdl,
  typeRows,
  writeWsdl,
  writeSoap,
  type ContractFiles,
  type Finding,
} from '../src';
import { berths, example, wsdlAround } from './files';

const one = (text: string): ContractFiles => ({ entry: 'x.wsdl', files: { 'x.wsdl': text } });

function refusal(run: () => unknown): Finding {
  try {
    run();
  } catch (error) {
    if (error instanceof HingeError) return error.finding;
    throw error;
  }
  throw new Error('nothing was refused');
}

describe('the Berths contract', () => {
  const contract = readWsdl(berths());

  test('has seven operations over SOAP 1.1, with faults, a required header and documentation', () => {
    expect(contract.operations.map((o) => o.id)).toEqual([
      'FindBerths',
      'GetBerth',
      'ReserveBerth',
      'AmendReservation',
      'CancelReservation',
      'GetReservation',
      'ListReservations',
    ]);
    const reserve = contract.operations[2]!;
    expect(reserve.soap).toMatchObject({
      version: '1.1',
      style: 'document',
      action: 'urn:tarnhaven:berths:2/ReserveBerth',
    });
    expect(reserve.faults.map((f) => f.name)).toEqual(['BerthTaken', 'UnknownBerth']);
    expect(reserve.request.headers).toEqual([expect.objectContaining({ name: 'officeCode', required: true })]);
    expect(reserve.documentation).toBe('Keeps a berth for a vessel or a barge for one stay.');
    expect(contract.addresses).toEqual(['http://127.0.0.1:4331/soap']);
  });

  test('the port is chosen by name', () => {
    expect(readWsdl(berths(), { port: 'Soap12' }).operations[0]!.soap!.version).toBe('1.2');
    expect(refusal(() => readWsdl(berths(), { port: 'Nothing' })).code).toBe('HNG-115');
  });

  test('an extended type has the fields of its base first, attributes are plain properties', () => {
    const rows = typeRows(contract.operations[1]!.reply!.body, contract.types);
    expect(rows.map((r) => r.pointer)).toEqual([
      '/berth',
      '/berth/number',
      '/berth/quay',
      '/berth/lengthMetres',
      '/berth/depthMetres',
      '/berth/surface',
      '/berth/service',
      '/berth/closedUntil',
    ]);
    expect(rows.find((r) => r.name === 'service')).toMatchObject({ many: true, required: false });
    expect(rows.find((r) => r.name === 'closedUntil')).toMatchObject({ nullable: true, required: true });
  });

  test('a wrapper around one repeating element is the list itself', () => {
    const cargo = typeRows(contract.operations[2]!.request.body, contract.types).find((r) => r.name === 'cargo')!;
    expect(cargo).toMatchObject({ words: 'list of Cargo', many: true });
  });

  test('the published example of the WSDL note becomes a REST operation and sends what the SOAP note sends', () => {
    // W3C Notes "WSDL 1.1" (2001) and "SOAP 1.1" (2000), the stock quote; both from memory.
    const files = one(example('stockquote.wsdl'));
    const quote = readWsdl(files);
    expect(quote).toMatchObject({
      name: 'StockQuoteService',
      documentation: 'My first service',
      addresses: ['http://example.com/stockquote'],
    });
    const [row] = planRest(quote);
    expect(row).toMatchObject({ method: 'GET', path: '/last-trade-prices/{tickerSymbol}' });
    const op = quote.operations[0]!.soap!;
    // Local elements of that schema are unqualified: elementFormDefault is absent (XML Schema Part 1 §3.2.2).
    const written = writeSoap('1.1', op.input, { body: { tickerSymbol: 'DIS' } });
    expect(written.faults).toEqual([]);
    expect(written.text).toContain(
      '<n1:TradePriceRequest xmlns:n1="http://example.com/stockquote.xsd"><tickerSymbol>DIS</tickerSymbol></n1:TradePriceRequest>',
    );
    const answer = readSoap(
      '<SOAP-ENV:Envelope xmlns:SOAP-ENV="http://schemas.xmlsoap.org/soap/envelope/" SOAP-ENV:encodingStyle="http://schemas.xmlsoap.org/soap/encoding/"><SOAP-ENV:Body><m:TradePrice xmlns:m="http://example.com/stockquote.xsd"><price>34.5</price></m:TradePrice></SOAP-ENV:Body></SOAP-ENV:Envelope>',
      { message: op.output!, faults: [] },
    );
    expect(answer).toMatchObject({ kind: 'reply', value: { body: { price: 34.5 } }, faults: [] });
    expect(Object.keys(draftRest(quote, files).operations)).toEqual(['GetLastTradePrice']);
  });
});

describe('rpc and odd bindings', () => {
  const rpc = (use: string) =>
    one(`<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:r" targetNamespace="urn:r">
<message name="in"><part name="tonnage" type="xs:decimal"/><part name="nights" type="xs:int"/></message><message name="out"><part name="dues" type="xs:decimal"/></message>
<portType name="P"><operation name="Compute"><input message="t:in"/><output message="t:out"/></operation></portType>
<binding name="B" type="t:P"><soap:binding style="rpc" transport="http://schemas.xmlsoap.org/soap/http"/><operation name="Compute"><soap:operation soapAction=""/><input><soap:body use="${use}" namespace="urn:dues"/></input><output><soap:body use="${use}" namespace="urn:dues"/></output></operation></binding>
<service name="Dues"><port name="p" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></port></service></definitions>`);

  test('rpc/literal: an element named after the operation, parts as unqualified children (WS-I BP 1.1 R2735)', () => {
    const op = readWsdl(rpc('literal')).operations[0]!.soap!;
    expect(writeSoap('1.1', op.input, { body: { nights: 2, tonnage: 12.5 } }).text).toContain(
      '<n1:Compute xmlns:n1="urn:dues"><tonnage>12.5</tonnage><nights>2</nights></n1:Compute>',
    );
    const answer = readSoap(
      '<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><d:ComputeResponse xmlns:d="urn:dues"><dues>0.90</dues></d:ComputeResponse></e:Body></e:Envelope>',
      { message: op.output!, faults: [] },
    );
    expect(String((answer as { value: { body: { dues: unknown } } }).value.body.dues)).toBe('0.90');
  });

  test('rpc/encoded is read and refused, with the reason', () => {
    expect(refusal(() => readWsdl(rpc('encoded')))).toMatchObject({
      code: 'HNG-114',
      message: expect.stringContaining('rpc/encoded'),
    });
  });
});

describe('bad input: one clear error with place and remedy', () => {
  const cases: [string, () => unknown, string, string][] = [
    ['not XML', () => readWsdl(one('once upon a time')), 'HNG-101', 'x.wsdl'],
    ['XML that is not well-formed', () => readWsdl(one('<a>\n  <b></a>')), 'HNG-101', 'x.wsdl'],
    ['another XML document', () => readWsdl(one('<html/>')), 'HNG-110', 'x.wsdl'],
    [
      'a schema where the WSDL should be',
      () => readWsdl(one('<schema xmlns="http://www.w3.org/2001/XMLSchema"/>')),
      'HNG-110',
      'x.wsdl',
    ],
    ['WSDL 2.0', () => readWsdl(one('<description xmlns="http://www.w3.org/ns/wsdl"/>')), 'HNG-111', 'x.wsdl'],
    [
      'a missing import',
      () => readWsdl({ entry: 'berths.wsdl', files: { 'berths.wsdl': berths().files['berths.wsdl']! } }),
      'HNG-112',
      'berths.wsdl',
    ],
    [
      'an unknown prefix in a QName',
      () => readWsdl(wsdlAround('<xs:element name="In" type="nope:X"/><xs:element name="Out" type="xs:string"/>')),
      'HNG-113',
      'test.wsdl',
    ],
    [
      'an unknown prefix on an element',
      () => readWsdl(one('<definitions xmlns="http://schemas.xmlsoap.org/wsdl/">\n<soap:binding/></definitions>')),
      'HNG-113',
      'x.wsdl',
    ],
    [
      'no SOAP binding',
      () =>
        readWsdl(
          one(
            '<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:h="http://schemas.xmlsoap.org/wsdl/http/"><portType name="P"/><binding name="B" type="P"><h:binding verb="GET"/></binding></definitions>',
          ),
        ),
      'HNG-114',
      'x.wsdl',
    ],
    [
      'a type that is not there',
      () => readWsdl(wsdlAround('<xs:element name="In" type="Lost"/><xs:element name="Out" type="xs:string"/>')),
      'HNG-115',
      'test.wsdl',
    ],
    [
      'a count that is none',
      () =>
        readWsdl(
          wsdlAround(
            '<xs:element name="In"><xs:complexType><xs:sequence><xs:element name="a" type="xs:int" maxOccurs="many"/></xs:sequence></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>',
          ),
        ),
      'HNG-116',
      'test.wsdl',
    ],
    [
      'a type derived from itself',
      () =>
        readWsdl(
          wsdlAround(
            '<xs:complexType name="A"><xs:complexContent><xs:extension base="A"/></xs:complexContent></xs:complexType><xs:element name="In" type="A"/><xs:element name="Out" type="xs:string"/>',
          ),
        ),
      'HNG-116',
      'test.wsdl',
    ],
    [
      'a group that holds itself',
      () =>
        readWsdl(
          wsdlAround(
            '<xs:group name="G"><xs:sequence><xs:group ref="G"/></xs:sequence></xs:group><xs:element name="In"><xs:complexType><xs:group ref="G"/></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>',
          ),
        ),
      'HNG-116',
      'test.wsdl',
    ],
    [
      'an attribute group that holds itself',
      () =>
        readWsdl(
          wsdlAround(
            '<xs:attributeGroup name="G"><xs:attributeGroup ref="G"/></xs:attributeGroup><xs:element name="In"><xs:complexType><xs:attributeGroup ref="G"/></xs:complexType></xs:element><xs:element name="Out" type="xs:string"/>',
          ),
        ),
      'HNG-116',
      'test.wsdl',
    ],
    [
      'an entity bomb',
      () => readWsdl(one('<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><x>&b;</x>')),
      'HNG-102',
      'x.wsdl',
    ],
    ['an external entity', () => readWsdl(one('<!DOCTYPE x SYSTEM "file:///etc/passwd"><x/>')), 'HNG-102', 'x.wsdl'],
    ['20 MB', () => readWsdl(one(`<a>${' '.repeat(20 * 1024 * 1024)}</a>`)), 'HNG-103', 'x.wsdl'],
    ['nesting without end', () => readWsdl(one('<a>'.repeat(100_000))), 'HNG-103', 'x.wsdl'],
    ['an empty file', () => readWsdl(one('')), 'HNG-101', 'x.wsdl'],
  ];
  test.each(cases)('%s', (_name, run, code, file) => {
    const f = refusal(run);
    expect(f.code).toBe(code);
    expect(f.place.file).toBe(file);
    expect(f.place.line).toBeGreaterThanOrEqual(1);
    expect(f.remedy.length).toBeGreaterThan(10);
  });

  test('a well-formedness error names its line', () => {
    expect(refusal(() => readWsdl(one('<a>\n\n  <b></a>'))).place.line).toBe(3);
  });

  test('collecting stops at a missing document and says who imports it', async () => {
    const lost = collectContract('berths.wsdl', { 'berths.wsdl': berths().files['berths.wsdl']! }, undefined);
    await expect(lost).rejects.toMatchObject({
      finding: {
        code: 'HNG-112',
        message: expect.stringContaining('berths.xsd'),
        place: { file: 'berths.wsdl', line: expect.any(Number) },
      },
    });
  });

  test('collecting fetches imports relative to who names them, each once, and is bounded', async () => {
    const asked: string[] = [];
    const files = berths().files;
    const got = await collectContract('http://h/a/berths.wsdl', {}, async (location) => {
      asked.push(location);
      return files[location.split('/').pop()!]!;
    });
    expect(asked).toEqual(['http://h/a/berths.wsdl', 'http://h/a/berths.xsd', 'http://h/a/common.xsd']);
    expect(readWsdl(got).operations).toHaveLength(7);
    const endless = collectContract(
      'http://h/0.xsd',
      {},
      async (l) =>
        `<schema xmlns="http://www.w3.org/2001/XMLSchema"><include schemaLocation="${Number(/(\d+)\.xsd/.exec(l)![1]) + 1}.xsd"/></schema>`,
    );
    await expect(endless).rejects.toMatchObject({
      finding: { code: 'HNG-103', message: expect.stringContaining(String(LIMITS.contractDocuments)) },
    });
  });
});

test('a chameleon include takes the namespace of its includer (XML Schema Part 1 §4.2.1)', () => {
  const files = wsdlAround(
    '<xs:include schemaLocation="c.xsd"/><xs:element name="In" type="Shared"/><xs:element name="Out" type="xs:string"/>',
  );
  const contract = readWsdl({
    ...files,
    files: {
      ...files.files,
      'c.xsd':
        '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" elementFormDefault="qualified"><xs:complexType name="Shared"><xs:sequence><xs:element name="a" type="Inner"/></xs:sequence></xs:complexType><xs:simpleType name="Inner"><xs:restriction base="xs:int"/></xs:simpleType></xs:schema>',
    },
  });
  expect(writeSoap('1.1', contract.operations[0]!.soap!.input, { body: { a: 1 } }).text).toContain(
    '<n1:In xmlns:n1="urn:test"><n1:a>1</n1:a></n1:In>',
  );
});

describe('several services, ports and port types', () => {
  const port = (n: string, type: string, path: string, soap: string) =>
    `<wsdl:binding name="B${n}" type="t:${type}"><${soap}:binding transport="http://schemas.xmlsoap.org/soap/http"/><wsdl:operation name="${type === 'Berths' ? 'Find' : 'Pay'}"><${soap}:operation soapAction="urn:${n}"/><wsdl:input><${soap}:header message="t:Head" part="Office" use="literal"><${soap}:headerfault message="t:HeadFault" part="OfficeClosed" use="literal"/></${soap}:header><${soap}:body use="literal"/></wsdl:input><wsdl:output><${soap}:body use="literal"/></wsdl:output></wsdl:operation></wsdl:binding><wsdl:service name="S${n}"><wsdl:port name="P${n}" binding="t:B${n}"><${soap}:address location="http://backend.example${path}"/></wsdl:port></wsdl:service>`;
  const portType = (type: string, operation: string) =>
    `<wsdl:portType name="${type}"><wsdl:operation name="${operation}"><wsdl:input message="t:Ask"/><wsdl:output message="t:Tell"/></wsdl:operation></wsdl:portType>`;
  const text = `<wsdl:definitions xmlns:wsdl="http://schemas.xmlsoap.org/wsdl/" xmlns:s11="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:s12="http://schemas.xmlsoap.org/wsdl/soap12/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:several" targetNamespace="urn:several">
<wsdl:types><xs:schema targetNamespace="urn:several" elementFormDefault="qualified"><xs:element name="Ask" type="xs:string"/><xs:element name="Tell" type="xs:string"/><xs:element name="Office" type="xs:string"/><xs:element name="OfficeClosed"><xs:complexType><xs:sequence><xs:element name="until" type="xs:date"/></xs:sequence></xs:complexType></xs:element></xs:schema></wsdl:types>
<wsdl:message name="Ask"><wsdl:part name="body" element="t:Ask"/></wsdl:message><wsdl:message name="Tell"><wsdl:part name="body" element="t:Tell"/></wsdl:message><wsdl:message name="Head"><wsdl:part name="Office" element="t:Office"/></wsdl:message><wsdl:message name="HeadFault"><wsdl:part name="OfficeClosed" element="t:OfficeClosed"/></wsdl:message>
${portType('Berths', 'Find')}${portType('Dues', 'Pay')}
${port('1', 'Berths', '/ws/berths12', 's12')}${port('2', 'Berths', '/ws/berths', 's11')}${port('3', 'Dues', '/ws/dues', 's12')}
</wsdl:definitions>`;
  const contract = readWsdl(one(text));

  test('each port type is read once, by its SOAP 1.1 port where it has one', () => {
    expect(contract.operations.map((o) => [o.id, o.soap!.version, o.soap!.address])).toEqual([
      ['Find', '1.1', undefined],
      ['Pay', '1.2', 'http://backend.example/ws/dues'],
    ]);
    expect(contract.addresses).toEqual(['http://backend.example/ws/berths']);
    expect(readWsdl(one(text), { port: 'P3' }).operations.map((o) => o.id)).toEqual(['Pay']);
  });

  test('an operation of another port is reached at the path of its port, under the address that the backend has', () => {
    const [first] = contract.addresses;
    const own = contract.operations[1]!.soap!.address;
    expect(portAddress(first!, first, own)).toBe('http://backend.example/ws/dues');
    expect(portAddress('http://127.0.0.1:9/ws/berths', first, own)).toBe('http://127.0.0.1:9/ws/dues');
    expect(portAddress('http://127.0.0.1:9/all', first, own)).toBe('http://127.0.0.1:9/all');
    expect(portAddress('http://127.0.0.1:9/ws/berths', first, undefined)).toBe('http://127.0.0.1:9/ws/berths');
  });

  test('the WSDL that is written again has all of them, each in its own SOAP version', () => {
    const again = readWsdl(one(writeWsdl(one(text), { address: 'http://127.0.0.1:1/door' })));
    expect(again.operations.map((o) => [o.id, o.soap!.version, o.soap!.action])).toEqual([
      ['Find', '1.1', 'urn:2'],
      ['Pay', '1.2', 'urn:3'],
    ]);
    expect(again.operations[0]!.soap!.faults.map((f) => f.name)).toEqual(['OfficeClosed']);
  });

  // SOAP 1.1 §4.4: what concerns a header entry is carried in a header entry, not in the detail.
  test('a header fault is read from the header block beside the fault', () => {
    const { soap } = contract.operations[0]!;
    const answer = readSoap(
      `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Header><OfficeClosed xmlns="urn:several"><until>2031-05-01</until></OfficeClosed></e:Header><e:Body><e:Fault><faultcode>e:Client</faultcode><faultstring>closed</faultstring></e:Fault></e:Body></e:Envelope>`,
      { message: soap!.output!, faults: soap!.faults },
    );
    expect(answer).toEqual({
      kind: 'fault',
      fault: { code: 'Client', reason: 'closed', name: 'OfficeClosed', detail: { until: '2031-05-01' }, sender: true },
    });
  });
});
