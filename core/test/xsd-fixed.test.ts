import { describe, expect, test } from '@jest/globals';
import { readJson, readSoap, readWsdl, sampleOf, ValidatorSet, writeJson, writeSoap } from '../src';
import { bodyOf, wsdlAround, xsdJudge } from './files';

/** XML Schema Part 1 §3.2.1, §3.3.1: what is fixed has one value, which may have several texts (§3.14.6, "the same value"). libxml2 judges. */
const NS = 'urn:test';
const type = (base: string, fixed: string) =>
  `<xs:complexType><xs:sequence><xs:element name="e" type="${base}" fixed="${fixed}" minOccurs="0"/></xs:sequence><xs:attribute name="a" type="${base}" fixed="${fixed}"/><xs:attribute ref="t:r"/></xs:complexType>`;
const world = (base: string, fixed: string) => {
  const schema = `<xs:attribute name="r" type="${base}" fixed="${fixed}"/><xs:element name="In">${type(base, fixed)}</xs:element><xs:element name="Out">${type(base, fixed)}</xs:element><xs:simpleType name="Sizes"><xs:list itemType="xs:decimal"/></xs:simpleType><xs:simpleType name="Mixed"><xs:union memberTypes="xs:int xs:date"/></xs:simpleType>`;
  const attributes = 'elementFormDefault="unqualified" xmlns:t="urn:test"';
  const contract = readWsdl(wsdlAround(schema, { attributes }));
  const op = contract.operations[0]!;
  const judge = xsdJudge(
    {
      's.xsd': `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="${NS}" xmlns="${NS}" ${attributes}>${schema}</xs:schema>`,
    },
    's.xsd',
  );
  return { contract, op, judge };
};
const out = (e: string, a: string) => `<t:Out xmlns:t="${NS}" a="${a}"><e>${e}</e></t:Out>`;
const envelope = (inner: string) =>
  `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body>${inner}</s:Body></s:Envelope>`;

describe('what is fixed', () => {
  test.each<[string, string, string[], string[]]>([
    ['xs:string', 'TCR', [''], ['EUR', ' TCR']],
    ['xs:token', 'a b', [' a  b '], ['ab']],
    ['xs:decimal', '1.50', ['1.5', '+01.500'], ['1.51']],
    ['xs:int', '5', ['05'], ['6', 'x']],
    ['xs:boolean', 'true', ['1'], ['false', '0']],
    ['xs:double', '1.5', ['15e-1'], ['1.6']],
    ['xs:date', '2026-01-01Z', ['2026-01-01+00:00'], ['2026-01-02Z']],
    ['t:Sizes', '1 2.0', ['1  2', ' 1.0 2'], ['1 3', '1']],
    ['t:Mixed', '5', ['05'], ['6', '2026-01-01']],
    ['xs:base64Binary', 'AQID', ['AQ ID'], ['AQIE']],
  ])(
    '%s %s: every text of that value is read, and no other; what is written is the text itself',
    (base, fixed, same, others) => {
      const { contract, op, judge } = world(base, fixed);
      for (const text of [fixed, ...same, ...others]) {
        // An empty element means what is fixed (§3.3.4).
        const inner = out(text, text === '' ? fixed : text);
        const right = !others.includes(text);
        // libxml2 compares some values as texts: what it takes is right, and what is wrong it does not take.
        if (text === fixed || !right) expect({ text, right: judge(inner) === undefined }).toEqual({ text, right });
        const read = readSoap(envelope(inner), { message: op.soap!.output!, faults: [] });
        const faults = read.kind === 'reply' ? read.faults.map((f) => f.pointer) : [read.kind];
        expect({ text, faults }).toEqual({ text, faults: right ? [] : ['/a', '/e'] });
        if (read.kind !== 'reply' || !right) continue;
        const written = writeSoap('1.1', op.soap!.input, { body: read.value.body });
        expect([written.faults, judge(bodyOf(written.text))]).toEqual([[], undefined]);
        expect(bodyOf(written.text)).toContain(`<e>${fixed}</e>`);
        const told = new ValidatorSet(contract.types).check(op.reply!.body, read.value.body);
        expect({ text, told }).toEqual({ text, told: [] });
      }
      // The schema has no word for one list, or one value of a union.
      if (base.startsWith('t:')) return;
      const sample = sampleOf(op.request.body, contract.types);
      const written = writeSoap('1.1', op.soap!.input, { body: sample });
      expect([written.faults, judge(bodyOf(written.text))]).toEqual([[], undefined]);
    },
  );

  test('another value is told before anything is written, by the schema and by the writer', () => {
    const { contract, op } = world('xs:string', 'TCR');
    const body = readJson('{"e":"EUR","a":"EUR"}');
    const told = new ValidatorSet(contract.types).check(op.request.body, body).map((f) => `${f.pointer} ${f.detail}`);
    expect(told).toEqual(['/e must be "TCR"', '/a must be "TCR"']);
    expect(writeSoap('1.1', op.soap!.input, { body }).faults.map((f) => f.pointer)).toEqual(['/body/a', '/body/e']);
    expect(writeJson(sampleOf(op.request.body, contract.types))).toBe('{"a":"TCR","r":"TCR","e":"TCR"}');
  });
});

test('an operation that only the service sends is told, and not offered (WSDL 1.1 §2.4.4)', () => {
  const files = wsdlAround('<xs:element name="In"/><xs:element name="Out"/>');
  const text = files.files['test.wsdl']!.replace(
    '</wsdl:portType>',
    '<wsdl:operation name="Tell"><wsdl:output message="t:out"/></wsdl:operation></wsdl:portType>',
  ).replace(
    '</wsdl:binding>',
    '<wsdl:operation name="Tell"><soap:operation soapAction="tell"/><wsdl:output><soap:body use="literal"/></wsdl:output></wsdl:operation></wsdl:binding>',
  );
  const contract = readWsdl({ ...files, files: { 'test.wsdl': text } });
  const unusable = contract.operations.map((o) => o.unusable);
  expect(unusable).toEqual([undefined, expect.stringContaining('only the service sends') as unknown]);
  expect(contract.findings.map((f) => f.code)).toContain('HNG-117');
});
