import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { XmlBufferInputProvider, XmlDocument, XsdValidator, xmlRegisterInputProvider } from 'libxml2-wasm';
import type { ContractFiles } from '../src';

const HERE = dirname(fileURLToPath(import.meta.url));
export const BERTHS = join(HERE, '../../stand-ins/src/berths/contract');

export function contractFiles(folder: string, entry: string, names: readonly string[]): ContractFiles {
  return { entry, files: Object.fromEntries(names.map((n) => [n, readFileSync(join(folder, n), 'utf8')])) };
}

export const berths = (): ContractFiles =>
  contractFiles(BERTHS, 'berths.wsdl', ['berths.wsdl', 'berths.xsd', 'common.xsd']);

/** A contract of contracts/, and what it refers to. */
export const ownContract = (...names: [string, ...string[]]): ContractFiles => ({
  entry: names[0],
  files: Object.fromEntries(names.map((n) => [n, example(n)])),
});

export const example = (name: string): string => readFileSync(join(HERE, 'contracts', name), 'utf8');

/** libxml2 as the judge of what we write. Returns its complaint, or undefined. */
export function xsdJudge(files: Readonly<Record<string, string>>, entry: string): (xml: string) => string | undefined {
  const mark = Math.random().toString(36).slice(2);
  const url = (n: string) => `test://${mark}/${n}`;
  xmlRegisterInputProvider(
    new XmlBufferInputProvider(
      Object.fromEntries(Object.entries(files).map(([n, t]) => [url(n), new TextEncoder().encode(t)])),
    ),
  );
  const schema = XsdValidator.fromDoc(XmlDocument.fromString(files[entry]!, { url: url(entry) }));
  return (xml) => {
    const doc = XmlDocument.fromString(xml);
    try {
      schema.validate(doc);
      return undefined;
    } catch (error) {
      return (error as Error).message;
    } finally {
      doc.dispose();
    }
  };
}

/** The one element inside soap:Body, namespaces kept, as a document of its own. */
export function bodyOf(envelope: string): string {
  return /<s:Body>([\s\S]*)<\/s:Body>/.exec(envelope)![1]!;
}

/** A WSDL around one schema and one document/literal operation `Do`: request element `In`, reply element `Out`. */
export function wsdlAround(schema: string, options: { ns?: string; attributes?: string } = {}): ContractFiles {
  const ns = options.ns ?? 'urn:test';
  return {
    entry: 'test.wsdl',
    files: {
      'test.wsdl': `<wsdl:definitions xmlns:wsdl="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="${ns}" targetNamespace="${ns}" name="Test">
<wsdl:types><xs:schema targetNamespace="${ns}" xmlns="${ns}" ${options.attributes ?? 'elementFormDefault="qualified"'}>${schema}</xs:schema></wsdl:types>
<wsdl:message name="in"><wsdl:part name="p" element="t:In"/></wsdl:message><wsdl:message name="out"><wsdl:part name="p" element="t:Out"/></wsdl:message>
<wsdl:portType name="P"><wsdl:operation name="Do"><wsdl:input message="t:in"/><wsdl:output message="t:out"/></wsdl:operation></wsdl:portType>
<wsdl:binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><wsdl:operation name="Do"><soap:operation soapAction="do"/><wsdl:input><soap:body use="literal"/></wsdl:input><wsdl:output><soap:body use="literal"/></wsdl:output></wsdl:operation></wsdl:binding>
<wsdl:service name="TestService"><wsdl:port name="P" binding="t:B"><soap:address location="http://127.0.0.1:1/x"/></wsdl:port></wsdl:service>
</wsdl:definitions>`,
    },
  };
}

/** Canonical XML 1.0 as libxml2 makes it. */
export function canonical(xml: string): string {
  const doc = XmlDocument.fromString(xml);
  try {
    return doc.canonicalizeToString();
  } finally {
    doc.dispose();
  }
}
