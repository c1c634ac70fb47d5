import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { draftSoap, exportWsdl, readWsdl, type FlowDocument } from '@hinge/core';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import * as soap from 'soap';
import { BERTHS_CONTRACT, BERTHS_FILES, startBerths, type StandIn } from '../../stand-ins/src';
import { startGateway, type RunningGateway } from '../src';
import { listen } from './world';

/** A SOAP door before the stand-in, used by the standard npm `soap` client, which knows only the address of its WSDL. */
let standIn: StandIn;
let gateway: RunningGateway;
let door: string;
let document: FlowDocument;
const V11 = 'http://schemas.xmlsoap.org/soap/envelope/';
const V12 = 'http://www.w3.org/2003/05/soap-envelope';

beforeAll(async () => {
  standIn = await startBerths();
  const files: Record<string, string> = {};
  for (const n of BERTHS_FILES) files[n] = readFileSync(join(BERTHS_CONTRACT, n), 'utf8');
  const source = { entry: 'berths.wsdl', files };
  document = draftSoap(readWsdl(source), source, {
    address: `http://127.0.0.1:${standIn.port}/soap`,
    base: '/berths/soap',
  });
  gateway = await startGateway({
    port: 0,
    controlPort: 0,
    config: { revision: 'test', apis: [{ slug: 'berths', document }] },
  });
  door = `http://127.0.0.1:${gateway.port}/berths/soap`;
});
afterEach(() => void Object.assign(standIn.behaviour, { mode: 'normal', delayMs: 0 }));
afterAll(async () => {
  await gateway.stop();
  await standIn.stop();
});

const post = async (
  ns: string,
  inner: string,
  head = '<b:officeCode>TH-22</b:officeCode>',
  type = ns === V11 ? 'text/xml' : 'application/soap+xml',
) => {
  const r = await fetch(door, {
    method: 'POST',
    headers: { 'content-type': type, ...(ns === V11 && { soapaction: '""' }) },
    body: `<s:Envelope xmlns:s="${ns}" xmlns:b="urn:tarnhaven:berths:2"><s:Header>${head}</s:Header><s:Body>${inner}</s:Body></s:Envelope>`,
  });
  return { status: r.status, type: r.headers.get('content-type'), text: await r.text() };
};

describe('the standard soap client, told of nothing but ?wsdl', () => {
  type Client = soap.Client & Record<string, (args: object) => Promise<[Record<string, unknown>, string]>>;
  const client = async () => {
    const c = (await soap.createClientAsync(`${door}?wsdl`)) as Client;
    c.addSoapHeader('<b:officeCode xmlns:b="urn:tarnhaven:berths:2">TH-22</b:officeCode>');
    return c;
  };

  test('finds service, port and operations under their names, and calls them', async () => {
    const c = await client();
    const described = c.describe() as Record<string, Record<string, Record<string, unknown>>>;
    expect(Object.keys(described)).toEqual(['BerthsService']);
    const [port] = Object.values(described.BerthsService!);
    expect(Object.keys(port!).sort()).toEqual(Object.keys(document.operations).sort());
    const [reply] = await c.GetBerthAsync!({ id: 'N-07' });
    expect(reply).toMatchObject({ berth: { depthMetres: '7.10' } });
  });

  test('gets the fault of the backend as it came', async () => {
    const c = await client();
    await expect(c.GetBerthAsync!({ id: 'Z-99' })).rejects.toMatchObject({
      response: { status: 500 },
      message: expect.stringContaining('Z-99') as unknown as string,
    });
  });
});

describe('guards and faults', () => {
  test('a request that breaks the contract never reaches the backend: a fault of the sender names the place', async () => {
    standIn.behaviour.mode = 'down';
    const r = await post(V11, '<b:GetBerth><b:id>n7</b:id><b:x/></b:GetBerth>');
    expect([r.status, r.type]).toEqual([500, 'text/xml; charset=utf-8']);
    expect(r.text).toContain('<faultcode>s:Client</faultcode>');
    expect(r.text).toContain('the element x is not known here');
  });

  test('SOAP 1.2 callers get SOAP 1.2, over a SOAP 1.1 backend too', async () => {
    const r = await post(V12, '<b:GetBerth><b:id>N-07</b:id></b:GetBerth>');
    expect([r.status, r.type]).toEqual([200, 'application/soap+xml; charset=utf-8']);
    expect(r.text).toContain(`<s:Envelope xmlns:s="${V12}">`);
    expect(r.text).toContain('7.10');
    const bad = await post(V12, '<b:GetBerth/>');
    expect([bad.status, bad.text.includes('<s:Value>s:Sender</s:Value>')]).toEqual([400, true]);
    const unknown = await post(V12, '<b:GetBerth><b:id>Z-99</b:id></b:GetBerth>');
    expect(unknown.text).toContain('<s:Reason>');
    expect(unknown.text).toContain('Z-99');
  });

  test.each([
    ['another element', '<b:Sink/>', 'No operation takes Sink; there are'],
    ['an empty body', '', 'No operation takes an empty body'],
  ])('%s is a fault that says what there is', async (_name, inner, words) => {
    const r = await post(V11, inner);
    expect(r.status).toBe(500);
    expect(r.text).toContain(words);
  });

  test('what is no envelope, no XML or a document type is a fault', async () => {
    for (const [body, words] of [
      ['<a/>', 'not a SOAP envelope'],
      ['<a', 'not well-formed'],
      ['<!DOCTYPE a [<!ENTITY x "y">]><a>&amp;x;</a>', 'document type'],
      ['{}', 'not well-formed'],
    ] as const) {
      const r = await fetch(door, { method: 'POST', headers: { 'content-type': 'text/xml' }, body });
      const text = await r.text();
      expect([r.status, text.includes('Fault'), text.includes(words)]).toEqual([500, true, true]);
    }
    const wrong = await fetch(door, { method: 'POST', body: '<s:Envelope xmlns:s="urn:other"><s:Body/></s:Envelope>' });
    expect(await wrong.text()).toContain('s:VersionMismatch');
  });

  test('a backend that is slow, down or garbled is a fault of the server', async () => {
    for (const mode of ['down', 'garbled', 'cut'] as const) {
      standIn.behaviour.mode = mode;
      const r = await post(V11, '<b:GetBerth><b:id>N-07</b:id></b:GetBerth>');
      expect([mode, [500, 503].includes(r.status), r.text.includes('s:Server')]).toEqual([mode, true, true]);
      expect(r.text).not.toContain('127.0.0.1');
    }
  });

  test('GET without ?wsdl says where to look', async () => {
    const r = await fetch(door);
    expect([r.status, r.headers.get('allow')]).toEqual([405, 'POST, GET']);
  });
});

test('the WSDL stands alone: it is read again from its one text, with the same operations and the address of the door', async () => {
  const text = await (await fetch(`${door}?WSDL`)).text();
  const again = readWsdl({ entry: 'x.wsdl', files: { 'x.wsdl': text } });
  expect(again.addresses).toEqual([door]);
  expect(again.operations.map((o) => o.id).sort()).toEqual(Object.keys(document.operations).sort());
  const source = document.backends!['berths-service']!.contract!;
  const before = readWsdl({ entry: source.entry, files: source.files! });
  expect(again.types).toEqual(before.types);
  expect(exportWsdl(document)).toContain('location="/berths/soap"');
});

test('only what the API offers is in the WSDL, whatever its operations are called', () => {
  const files = {
    'a.wsdl': `<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:t" targetNamespace="urn:t"><w:types><xs:schema targetNamespace="urn:t"><xs:element name="In" type="xs:string"/></xs:schema></w:types><w:message name="m"><w:part name="p" element="t:In"/></w:message><w:portType name="P">${['Get_2', 'Put'].map((n) => `<w:operation name="${n}"><w:input message="t:m"/></w:operation>`).join('')}</w:portType><w:binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>${['Get_2', 'Put'].map((n) => `<w:operation name="${n}"><soap:operation soapAction="${n}"/><w:input><soap:body use="literal"/></w:input></w:operation>`).join('')}</w:binding><w:service name="S"><w:port name="P" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></w:port></w:service></w:definitions>`,
  };
  const d = draftSoap(readWsdl({ entry: 'a.wsdl', files }), { entry: 'a.wsdl', files });
  delete d.operations.Put;
  const text = exportWsdl(d);
  expect([text.includes('name="Get_2"'), text.includes('name="Put"')]).toEqual([true, false]);
});

describe('an envelope of another encoding than UTF-8', () => {
  const NOTES = `<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:t" targetNamespace="urn:t"><w:types><xs:schema targetNamespace="urn:t"><xs:element name="In" type="t:Quay"/><xs:element name="Out" type="t:Quay"/><xs:simpleType name="Quay"><xs:restriction base="xs:string"><xs:pattern value="[^0-9]+"/></xs:restriction></xs:simpleType></xs:schema></w:types><w:message name="i"><w:part name="p" element="t:In"/></w:message><w:message name="o"><w:part name="p" element="t:Out"/></w:message><w:portType name="P"><w:operation name="Note"><w:input message="t:i"/><w:output message="t:o"/></w:operation></w:portType><w:binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><w:operation name="Note"><soap:operation soapAction="n"/><w:input><soap:body use="literal"/></w:input><w:output><soap:body use="literal"/></w:output></w:operation></w:binding><w:service name="S"><w:port name="P" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></w:port></w:service></w:definitions>`;
  const envelope = (name: string, text: string) =>
    `<?xml version="1.0" encoding="ISO-8859-1"?><s:Envelope xmlns:s="${V11}"><s:Body><t:${name} xmlns:t="urn:t">${text}</t:${name}></s:Body></s:Envelope>`;
  let backend: Awaited<ReturnType<typeof listen>>;
  let own: RunningGateway;
  let got: { type: string | undefined; bytes: Buffer };
  let type = 'text/xml; charset=ISO-8859-1';
  beforeAll(async () => {
    backend = await listen((req, res) => {
      const chunks: Buffer[] = [];
      req.on('data', (c: Buffer) => chunks.push(c));
      req.on('end', () => {
        got = { type: req.headers['content-type'], bytes: Buffer.concat(chunks) };
        res.writeHead(200, { 'content-type': type }).end(Buffer.from(envelope('Out', 'Käi'), 'latin1'));
      });
    });
    const source = { entry: 'n.wsdl', files: { 'n.wsdl': NOTES } };
    const of = { address: backend.url, base: '/n' };
    own = await startGateway({
      port: 0,
      config: {
        revision: 'test',
        apis: [{ slug: 'n', document: draftSoap(readWsdl(source), source, of) }],
      },
    });
  });
  afterAll(async () => {
    await own.stop();
    await backend.stop();
  });
  const note = async (text: string, contentType: string) => {
    const sent = Buffer.from(envelope('In', text), 'latin1');
    const headers = { 'content-type': contentType, soapaction: 'n' };
    const r = await fetch(`http://127.0.0.1:${own.port}/n`, { method: 'POST', headers, body: sent });
    return { sent, status: r.status, type: r.headers.get('content-type'), bytes: Buffer.from(await r.arrayBuffer()) };
  };

  test.each(['text/xml; charset=ISO-8859-1', 'text/xml'])('goes through both ways as its bytes: %s', async (said) => {
    type = said;
    const r = await note('Quäi', said);
    expect([r.status, r.type, got.type]).toEqual([200, said, said]);
    expect(got.bytes.equals(r.sent)).toBe(true);
    expect(r.bytes.equals(Buffer.from(envelope('Out', 'Käi'), 'latin1'))).toBe(true);
  });

  test('a pattern of the contract is held against what comes to the door', async () => {
    const r = await note('Quay 7', 'text/xml');
    expect(r.status).toBe(500);
    expect(r.bytes.toString()).toContain('does not match [^0-9]+');
  });
});

describe('rpc/literal, with two operations of one name', () => {
  const RPC = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:dues" targetNamespace="urn:dues">
<types><xs:schema targetNamespace="urn:dues"><xs:simpleType name="Code"><xs:restriction base="xs:token"><xs:pattern value="([A-Z]-?)+\\d{2}"/></xs:restriction></xs:simpleType></xs:schema></types>
<message name="in"><part name="berth" type="t:Code"/><part name="nights" type="xs:int"/></message><message name="in2"><part name="berth" type="t:Code"/></message><message name="out"><part name="dues" type="xs:decimal"/></message>
<portType name="P"><operation name="Dues"><input name="a" message="t:in"/><output name="ao" message="t:out"/></operation><operation name="Dues"><input name="b" message="t:in2"/><output name="bo" message="t:out"/></operation></portType>
<binding name="B" type="t:P"><soap:binding style="rpc" transport="http://schemas.xmlsoap.org/soap/http"/><operation name="Dues"><soap:operation soapAction="urn:a"/><input name="a"><soap:body use="literal" namespace="urn:dues:wire"/></input><output name="ao"><soap:body use="literal" namespace="urn:dues:wire"/></output></operation><operation name="Dues"><soap:operation soapAction="urn:b"/><input name="b"><soap:body use="literal" namespace="urn:dues:wire"/></input><output name="bo"><soap:body use="literal" namespace="urn:dues:wire"/></output></operation></binding>
<service name="Dues"><port name="p" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></port></service></definitions>`;

  test('the action tells them apart, and a caller that takes the namespace of the WSDL is understood', async () => {
    const seen: string[] = [];
    const backend = await listen((req, res) => {
      let body = '';
      req.on('data', (d: Buffer) => (body += d.toString()));
      req.on('end', () => {
        seen.push(`${req.headers.soapaction} ${/<[^>]*Dues[^>]*>/.exec(body)?.[0]}`);
        res.writeHead(200, { 'content-type': 'text/xml' });
        res.end(
          `<e:Envelope xmlns:e="${V11}"><e:Body><d:DuesResponse xmlns:d="urn:dues:wire"><dues>${/urn:a/.test(String(req.headers.soapaction)) ? '12.50' : '0.90'}</dues></d:DuesResponse></e:Body></e:Envelope>`,
        );
      });
    });
    const source = { entry: 'dues.wsdl', files: { 'dues.wsdl': RPC } };
    const rpc = draftSoap(readWsdl(source), source, { address: backend.url, base: '/dues' });
    const g = await startGateway({
      port: 0,
      controlPort: 0,
      config: { revision: 'rpc', apis: [{ slug: 'dues', document: rpc }] },
    });
    try {
      const ask = async (ns: string, action: string, inner: string) => {
        const r = await fetch(`http://127.0.0.1:${g.port}/dues`, {
          method: 'POST',
          headers: { 'content-type': 'text/xml', soapaction: `"${action}"` },
          body: `<s:Envelope xmlns:s="${V11}"><s:Body><d:Dues xmlns:d="${ns}">${inner}</d:Dues></s:Body></s:Envelope>`,
        });
        return `${r.status} ${/<dues>.*<\/dues>|<detail>"[^<]*</.exec(await r.text())?.[0]}`;
      };
      expect([
        await ask('urn:dues:wire', 'urn:a', '<berth>N-07</berth><nights>2</nights>'),
        await ask('urn:dues', 'urn:a', '<berth>N-07</berth><nights>2</nights>'),
        await ask('urn:dues', 'urn:b', '<berth>N-07</berth>'),
        await ask('urn:dues', '', '<berth>N-07</berth><nights>2</nights>'),
      ]).toEqual([
        '200 <dues>12.50</dues>',
        '200 <dues>12.50</dues>',
        '200 <dues>0.90</dues>',
        '200 <dues>0.90</dues>',
      ]);
      expect(await ask('urn:dues', 'urn:b', '<berth>N--</berth>')).toMatch(/^500 .*does not match/);
      // What is passed on is what came, namespace and all.
      expect(seen).toEqual([
        '"urn:a" <d:Dues xmlns:d="urn:dues:wire">',
        '"urn:a" <d:Dues xmlns:d="urn:dues">',
        '"urn:b" <d:Dues xmlns:d="urn:dues">',
        '"" <d:Dues xmlns:d="urn:dues">',
      ]);
      // The npm client puts an operation in the namespace of the WSDL.
      const client = (await soap.createClientAsync(`http://127.0.0.1:${g.port}/dues?wsdl`)) as soap.Client &
        Record<string, (args: object) => Promise<[Record<string, unknown>]>>;
      expect((await client.DuesAsync!({ berth: 'A-B-07' }))[0]).toEqual({ dues: 0.9 });
    } finally {
      await g.stop();
      await backend.stop();
    }
  });
});
