import { XMLBuilder, XMLParser } from 'fast-xml-parser';
import { readSoap, readWsdl, writeJson, writeSoap, type SoapAnswer } from '@hinge/core';

/**
 * `npm run bench:codec`: XML to typed JSON and JSON to valid XML in core alone, against fast-xml-parser, which knows no types. Both sides
 * get the same text and the same value; rounds alternate, the middle of five is told.
 */
const NS = 'urn:tarnhaven:bench';
const TYPE = `<xs:sequence><xs:element name="office" type="xs:string"/><xs:element name="total" type="xs:int"/><xs:element name="berth" minOccurs="0" maxOccurs="unbounded"><xs:complexType><xs:sequence>
<xs:element name="id" type="xs:string"/><xs:element name="name" type="xs:string"/><xs:element name="length" type="xs:decimal"/><xs:element name="depth" type="xs:double"/><xs:element name="free" type="xs:boolean"/><xs:element name="since" type="xs:dateTime"/><xs:element name="note" type="xs:string" minOccurs="0"/>
</xs:sequence><xs:attribute name="quay" type="xs:int" use="required"/></xs:complexType></xs:element></xs:sequence>`;
const WSDL = `<d:definitions xmlns:d="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="${NS}" targetNamespace="${NS}" name="B">
<d:types><xs:schema targetNamespace="${NS}" elementFormDefault="qualified"><xs:element name="In"><xs:complexType>${TYPE}</xs:complexType></xs:element><xs:element name="Out"><xs:complexType>${TYPE}</xs:complexType></xs:element></xs:schema></d:types>
<d:message name="in"><d:part name="p" element="t:In"/></d:message><d:message name="out"><d:part name="p" element="t:Out"/></d:message>
<d:portType name="P"><d:operation name="Do"><d:input message="t:in"/><d:output message="t:out"/></d:operation></d:portType>
<d:binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><d:operation name="Do"><soap:operation soapAction="do"/><d:input><soap:body use="literal"/></d:input><d:output><soap:body use="literal"/></d:output></d:operation></d:binding>
<d:service name="S"><d:port name="P" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></d:port></d:service></d:definitions>`;

const operation = readWsdl({ entry: 'b.wsdl', files: { 'b.wsdl': WSDL } }).operations[0]!.soap!;
const both = { ...operation, output: operation.input };

function message(bytes: number): string {
  const berths: unknown[] = [];
  const value = { office: 'TH-22', total: 0, berth: berths };
  const one = (n: number) => ({
    quay: n % 40,
    id: `B-${n}`,
    name: `North quay, berth ${n}`,
    length: 120 + (n % 60) + 0.25,
    depth: 7.25,
    free: n % 3 === 0,
    since: '2026-12-04T05:30:00+01:00',
    ...(n % 4 === 0 && { note: 'bollards 3 & 4 <closed>' }),
  });
  const size =
    writeSoap('1.1', operation.input, { body: { ...value, berth: Array.from({ length: 20 }, (_, i) => one(i)) } }).text
      .length / 20;
  for (let n = 0; n < Math.max(1, Math.round(bytes / size)); n++) berths.push(one(n));
  return writeSoap('1.1', operation.input, { body: { ...value, total: berths.length } }).text;
}

function read(text: string): SoapAnswer & { kind: 'reply' } {
  const answer = readSoap(text, { message: both.output, faults: [] });
  if (answer.kind !== 'reply' || answer.faults.length) throw new Error(JSON.stringify(answer).slice(0, 500));
  return answer;
}

const middle = (v: readonly number[]): number => [...v].sort((a, b) => a - b)[v.length >> 1]!;

function compare(job: string, bytes: number, jobs: Readonly<Record<string, () => unknown>>): void {
  const names = Object.keys(jobs);
  const times = names.map(() => [] as number[]);
  const slow = bytes > 5_000_000;
  const repeat = slow ? 1 : Math.max(2, Math.round(4_000_000 / bytes));
  for (const name of names) for (let i = 0; i < (slow ? 1 : repeat / 2); i++) jobs[name]!();
  for (let round = 0; round < (slow ? 3 : 5); round++) {
    names.forEach((name, k) => {
      const t = process.hrtime.bigint();
      for (let i = 0; i < repeat; i++) jobs[name]!();
      times[k]!.push(Number(process.hrtime.bigint() - t) / 1e6 / repeat);
    });
  }
  const ours = middle(times[0]!);
  const words = names.map(
    (n, k) =>
      `${n} ${middle(times[k]!).toFixed(3)} ms${k ? ` (${(middle(times[k]!) / ours).toFixed(1)} x)` : ` (${(bytes / ours / 1000).toFixed(0)} MB/s)`}`,
  );
  console.log(`${job.padEnd(26)} ${words.join('   ')}`);
}

const sizes: readonly (readonly [string, number])[] = [
  ['2 KiB', 2048],
  ['200 KiB', 200 * 1024],
  ['20 MB', 20_000_000],
];
console.log(`Node ${process.version}; middle of five rounds in turn (three for 20 MB); the peer is fast-xml-parser`);
for (const [label, bytes] of sizes) {
  const xml = message(bytes);
  const parser = new XMLParser({
    ignoreAttributes: false,
    processEntities: true,
    maxTotalExpansions: Infinity,
  } as never);
  compare(`XML to JSON, ${label}`, xml.length, {
    core: () => read(xml),
    'with JSON text': () => writeJson(read(xml).value.body),
    'fast-xml-parser': () => parser.parse(xml) as unknown,
  });
}
for (const [label, bytes] of sizes) {
  const xml = message(bytes);
  const value = read(xml).value;
  const tree = new XMLParser({ ignoreAttributes: false, maxTotalExpansions: Infinity } as never).parse(xml) as unknown;
  const builder = new XMLBuilder({ ignoreAttributes: false });
  compare(`JSON to XML, ${label}`, xml.length, {
    core: () => Buffer.byteLength(writeSoap('1.1', operation.input, value).text),
    'fast-xml-parser': () => Buffer.byteLength(builder.build(tree)),
  });
}
console.log(`memory: ${Math.round(process.memoryUsage().rss / 2 ** 20)} MiB resident at the end`);
