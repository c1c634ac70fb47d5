import { draftRest, planRest, readWsdl } from '@hinge/core';

/** `npm run bench:import`: reading, and drafting, a WSDL of 1,000 operations and 3,000 types. Peak memory is that of a process of its own. */
const NS = 'urn:tarnhaven:large';
const types: string[] = [];
for (let i = 0; i < 3000; i++)
  types.push(
    `<xs:complexType name="T${i}"><xs:sequence><xs:element name="id" type="xs:string"/><xs:element name="amount" type="xs:decimal" minOccurs="0"/><xs:element name="when" type="xs:dateTime" minOccurs="0"/><xs:element name="kind"><xs:simpleType><xs:restriction base="xs:string"><xs:enumeration value="a"/><xs:enumeration value="b"/></xs:restriction></xs:simpleType></xs:element>${i % 3 === 0 && i + 7 < 3000 ? `<xs:element name="part" type="t:T${i + 7}" minOccurs="0" maxOccurs="unbounded"/>` : ''}</xs:sequence><xs:attribute name="version" type="xs:int"/></xs:complexType>`,
  );
let elements = '';
let messages = '';
let portType = '';
let binding = '';
for (let i = 0; i < 1000; i++) {
  const t = (i * 3) % 3000;
  elements += `<xs:element name="GetThing${i}"><xs:complexType><xs:sequence><xs:element name="id" type="xs:string"/></xs:sequence></xs:complexType></xs:element><xs:element name="GetThing${i}Response"><xs:complexType><xs:sequence><xs:element name="thing" type="t:T${t}"/><xs:element name="other" type="t:T${t + 1}" minOccurs="0"/><xs:element name="more" type="t:T${t + 2}" minOccurs="0" maxOccurs="unbounded"/></xs:sequence></xs:complexType></xs:element>`;
  messages += `<w:message name="i${i}"><w:part name="p" element="t:GetThing${i}"/></w:message><w:message name="o${i}"><w:part name="p" element="t:GetThing${i}Response"/></w:message>`;
  portType += `<w:operation name="GetThing${i}"><w:input message="t:i${i}"/><w:output message="t:o${i}"/></w:operation>`;
  binding += `<w:operation name="GetThing${i}"><soap:operation soapAction="a${i}"/><w:input><soap:body use="literal"/></w:input><w:output><soap:body use="literal"/></w:output></w:operation>`;
}
export const LARGE_WSDL = `<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="${NS}" targetNamespace="${NS}" name="Large"><w:types><xs:schema targetNamespace="${NS}" elementFormDefault="qualified">\n${types.join('\n')}\n${elements}</xs:schema></w:types>\n${messages}<w:portType name="P">${portType}</w:portType><w:binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>${binding}</w:binding><w:service name="LargeService"><w:port name="P" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></w:port></w:service></w:definitions>`;

const before = process.memoryUsage().rss;
const source = { entry: 'large.wsdl', files: { 'large.wsdl': LARGE_WSDL } };
const t0 = performance.now();
const contract = readWsdl(source);
const t1 = performance.now();
const plan = planRest(contract);
const document = draftRest(contract, source, plan, { withoutFiles: true });
const t2 = performance.now();
console.log(
  `${(LARGE_WSDL.length / 1e6).toFixed(1)} MB, ${contract.operations.length} operations, ${Object.keys(contract.types).length} types: read in ${(t1 - t0).toFixed(0)} ms, planned and drafted (${Object.keys(document.operations).length}) in ${(t2 - t1).toFixed(0)} ms; first run of the process, nothing warm`,
);
const peak = process.resourceUsage().maxRSS / 1024;
console.log(`resident: ${(before / 2 ** 20).toFixed(0)} MiB before, ${peak.toFixed(0)} MiB at the most`);
