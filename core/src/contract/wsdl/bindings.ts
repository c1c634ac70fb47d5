import { HingeError } from '../../problem';
import { attributeOf, childrenOf, placeOf, qnameOf, type QName, type XmlElement } from '../../xml';
import type { SoapVersion } from './model';
import { WSDL } from './names';

const SOAP_BINDINGS: Record<string, SoapVersion> = {
  'http://schemas.xmlsoap.org/wsdl/soap/': '1.1',
  'http://schemas.xmlsoap.org/wsdl/soap12/': '1.2',
};
const HTTP_TRANSPORTS = new Set([
  'http://schemas.xmlsoap.org/soap/http',
  'http://www.w3.org/2003/05/soap/bindings/HTTP/',
]);

/** A binding that is used, and where it stands. */
export interface Bound {
  readonly binding: XmlElement;
  readonly version: SoapVersion;
  readonly soapUri: string;
  readonly address?: string;
  readonly portName?: string;
  readonly serviceName?: string;
}

interface Reader {
  need(kind: string, q: QName, from: XmlElement): XmlElement;
  portTypeOf(bound: Bound): XmlElement;
}

/**
 * Of the SOAP-over-HTTP ports the wanted one; else one for each port type, of SOAP 1.1 where there is one: several ports of one port type
 * are ways to the same operations (WSDL 1.1 §2.7). Without services, bindings count as ports.
 */
export function chooseBindings(
  entry: XmlElement,
  definitions: readonly XmlElement[],
  reader: Reader,
  port: string | undefined,
  told: (binding: XmlElement, words: string) => void = () => undefined,
): Bound[] {
  const bounds: Bound[] = [];
  const others = new Map<XmlElement, string>();
  const consider = (binding: XmlElement, extra: Partial<Bound>) => {
    const soap = binding.children.find((c) => c.local === 'binding' && SOAP_BINDINGS[c.uri]);
    const transport = soap && (attributeOf(soap, 'transport') ?? '');
    if (soap && (!transport || HTTP_TRANSPORTS.has(transport)))
      bounds.push({ binding, version: SOAP_BINDINGS[soap.uri]!, soapUri: soap.uri, ...extra });
    else
      others.set(
        binding,
        `${attributeOf(binding, 'name')} (${transport ? `transport ${transport}` : (binding.children.find((c) => c.local === 'binding')?.uri ?? 'no protocol')})`,
      );
  };
  for (const d of definitions) {
    for (const service of childrenOf(d, WSDL, 'service')) {
      for (const port of childrenOf(service, WSDL, 'port')) {
        const binding = reader.need('binding', qnameOf(port, attributeOf(port, 'binding') ?? ''), port);
        const address = port.children
          .map((c) => (c.local === 'address' ? attributeOf(c, 'location') : undefined))
          .find(Boolean);
        consider(binding, {
          address,
          portName: attributeOf(port, 'name'),
          serviceName: attributeOf(service, 'name'),
        });
      }
    }
  }
  if (bounds.length === 0) for (const d of definitions) for (const b of childrenOf(d, WSDL, 'binding')) consider(b, {});
  const wanted = port ? bounds.find((b) => b.portName === port) : undefined;
  if (port && !wanted) throw new HingeError('HNG-115', `there is no SOAP port ${port}`, placeOf(entry));
  if (wanted) return [wanted];
  const byType = new Map<XmlElement, Bound>();
  for (const b of [...bounds.filter((x) => x.version === '1.1'), ...bounds]) {
    const type = reader.portTypeOf(b);
    if (!byType.has(type)) byType.set(type, b);
  }
  const chosen = bounds.filter((b) => [...byType.values()].includes(b));
  if (!chosen.length) {
    const why = others.size ? `its bindings are ${[...others.values()].join(', ')}` : 'it declares no binding';
    throw new HingeError('HNG-114', `${entry.file} has no SOAP binding over HTTP: ${why}`, placeOf(entry));
  }
  for (const [binding, words] of others) told(binding, `the binding ${words} is not SOAP over HTTP, and is not read`);
  return chosen;
}
