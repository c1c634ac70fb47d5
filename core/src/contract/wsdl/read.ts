import { finding, HingeError, type Finding } from '../../problem';
import {
  attributeOf,
  childOf,
  childrenOf,
  placeOf,
  qnameOf,
  readXmlTree,
  type QName,
  type XmlElement,
} from '../../xml';
import type { Contract, ContractFiles, ContractOperation } from '../model';
import { SchemaSet, SchemaWriter, deepText, type ElementDecl, type Particle } from '../xsd';
import { chooseBindings, type Bound } from './bindings';
import { demandWsdl, WSDL } from './names';
import { addSchemas } from './schemas';
import { checkCarried } from './carried';
import type { SoapFaultDecl, SoapMessage, SoapOperation } from './model';

export interface WsdlOptions {
  /** Name of the wsdl:port to use, where the document has several. */
  readonly port?: string;
  /** Told after each operation: how many have been read, of how many. */
  readonly progress?: Progress;
}

export type Progress = (done: number, of: number) => void;

/** Reads a WSDL 1.1 document and all it imports (W3C Note "WSDL 1.1" §2, §3). Throws HingeError when nothing can be made of it. */
export function readWsdl(source: ContractFiles, options: WsdlOptions = {}): Contract {
  return openWsdl(source, options).reader.read();
}

/** The documents of a WSDL, opened: what reading and writing both start from. */
export function openWsdl(source: ContractFiles, options: WsdlOptions = {}) {
  const text = source.files[source.entry];
  if (text === undefined)
    throw new HingeError('HNG-112', `${source.entry} is not among the files`, { file: source.entry });
  const root = readXmlTree(text, source.entry);
  demandWsdl(root);
  const set = new SchemaSet();
  const definitions = addSchemas(source, root, set);
  return { definitions, set, reader: new WsdlReader(definitions, set, options) };
}

class WsdlReader {
  private readonly findings: Finding[] = [];
  private readonly writer = new SchemaWriter();
  /** What the first operation lacks that refers to something that is not there: told of the whole where no other can be called. */
  private missing: HingeError | undefined;

  constructor(
    private readonly definitions: readonly XmlElement[],
    private readonly set: SchemaSet,
    private readonly options: WsdlOptions,
  ) {}

  read(): Contract {
    const entry = this.definitions[0]!;
    const bounds = this.chooseBindings(entry, (binding, words) =>
      this.findings.push(
        finding('HNG-128', words, placeOf(binding), 'Nothing to do where the SOAP operations are all that is wanted.'),
      ),
    );
    const bound = bounds[0]!;
    const portType = this.portTypeOf(bound);
    const seen = new Map<string, number>();
    const operations = bounds.flatMap((b) => this.operations(b, bound, seen));
    if (!operations.some((o) => !o.unusable)) {
      if (this.missing) throw this.missing;
      throw new HingeError(
        'HNG-114',
        `no operation of the binding ${attributeOf(bound.binding, 'name')} can be called: ${operations[0]?.unusable ?? 'it has none'}`,
        placeOf(bound.binding),
      );
    }
    const service = this.definitions
      .flatMap((d) => childrenOf(d, WSDL, 'service'))
      .find((s) => attributeOf(s, 'name') === bound.serviceName);
    return {
      format: 'wsdl',
      name: bound.serviceName ?? attributeOf(entry, 'name') ?? attributeOf(portType, 'name') ?? 'service',
      documentation: (service && docOf(service)) ?? docOf(portType) ?? docOf(entry),
      addresses: bound.address ? [bound.address] : [],
      operations,
      types: this.writer.types,
      typePlaces: this.writer.places,
      findings: this.findings,
    };
  }

  private index: Map<string, XmlElement> | undefined;

  /** Components by kind and name; of two of one name the first counts. */
  private find(kind: string, q: QName): XmlElement | undefined {
    if (!this.index) {
      this.index = new Map();
      for (const d of this.definitions) {
        const uri = attributeOf(d, 'targetNamespace') ?? '';
        for (const c of d.children) {
          const key = `${c.local} {${uri}}${attributeOf(c, 'name')}`;
          if (c.uri === WSDL && !this.index.has(key)) this.index.set(key, c);
        }
      }
    }
    return this.index.get(`${kind} {${q.uri}}${q.local}`);
  }

  need(kind: string, q: QName, from: XmlElement): XmlElement {
    const found = this.find(kind, q);
    if (!found)
      throw new HingeError(
        'HNG-115',
        `there is no ${kind} ${q.local} in namespace ${q.uri || '(none)'}`,
        placeOf(from),
      );
    return found;
  }

  portTypeOf(bound: Bound): XmlElement {
    return this.need('portType', qnameOf(bound.binding, attributeOf(bound.binding, 'type') ?? ''), bound.binding);
  }

  chooseBindings(entry: XmlElement, told?: (binding: XmlElement, words: string) => void): Bound[] {
    return chooseBindings(entry, this.definitions, this, this.options.port, told);
  }

  private operations(bound: Bound, first: Bound, used: Map<string, number>): ContractOperation[] {
    const portType = this.portTypeOf(bound);
    const elsewhere = bound.address !== undefined && bound.address !== first.address ? bound.address : undefined;
    const soapBinding = bound.binding.children.find((c) => c.uri === bound.soapUri && c.local === 'binding')!;
    const defaultStyle = attributeOf(soapBinding, 'style') ?? 'document';
    const seen = new Map<string, number>();
    const byName = new Map<string, XmlElement[]>();
    for (const o of childrenOf(portType, WSDL, 'operation')) {
      const name = attributeOf(o, 'name') ?? '';
      byName.set(name, [...(byName.get(name) ?? []), o]);
    }
    const nodes = childrenOf(bound.binding, WSDL, 'operation');
    return nodes.map((node, i) => {
      this.options.progress?.(i, nodes.length);
      const name = attributeOf(node, 'name') ?? '';
      const abstract = byName.get(name) ?? [];
      const nth = seen.get(name) ?? 0;
      seen.set(name, nth + 1);
      const op = abstract[nth] ?? abstract[0];
      if (!op) throw new HingeError('HNG-115', `the port type has no operation ${name}`, placeOf(node));
      const before = used.get(name) ?? 0;
      used.set(name, before + 1);
      const id = before === 0 ? name : `${name}_${before + 1}`;
      if (before > 0)
        this.findings.push(
          finding(
            'HNG-117',
            `the operation name ${name} is used more than once; this one is called ${id}`,
            placeOf(node),
            'Nothing to do; the names are kept apart.',
          ),
        );
      return this.operation(bound, node, op, id, defaultStyle, elsewhere);
    });
  }

  private operation(
    bound: Bound,
    node: XmlElement,
    op: XmlElement,
    id: string,
    defaultStyle: string,
    address: string | undefined,
  ): ContractOperation {
    const soapOp = node.children.find((c) => c.uri === bound.soapUri && c.local === 'operation');
    const style = (soapOp && attributeOf(soapOp, 'style')) || defaultStyle;
    const common = {
      id,
      name: attributeOf(node, 'name')!,
      documentation: docOf(op) ?? docOf(node),
      place: placeOf(op),
    };
    const restore = this.writer.mark();
    try {
      if (!childOf(op, WSDL, 'input'))
        throw new Unusable('it is a notification, which only the service sends (WSDL 1.1 §2.4.4)');
      const soap: SoapOperation = {
        version: bound.version,
        action: (soapOp && attributeOf(soapOp, 'soapAction')) ?? '',
        style: style === 'rpc' ? 'rpc' : 'document',
        input: this.message(bound, node, op, 'input', style) ?? { headers: [] },
        output: this.message(bound, node, op, 'output', style),
        faults: [...this.faults(op), ...this.headerFaults(bound, node)],
        ...(address !== undefined && { address }),
      };
      for (const d of [soap.input.body, soap.output?.body, ...soap.faults.map((f) => f.element)])
        if (d) checkCarried(d, this.findings);
      return { ...common, ...this.shapes(soap), soap };
    } catch (error) {
      const missing = error instanceof HingeError && error.finding.code === 'HNG-115' ? error : undefined;
      if (!missing && !(error instanceof Unusable)) throw error;
      this.missing ??= missing;
      restore();
      const place = missing?.finding.place ?? placeOf(node);
      const { message } = error as Error;
      this.findings.push(finding('HNG-117', `the operation ${id} cannot be called: ${message}`, place));
      return { ...common, request: { body: {}, headers: [], mediaType: '' }, faults: [], unusable: message };
    }
  }

  private shapes(soap: SoapOperation): Pick<ContractOperation, 'request' | 'reply' | 'faults'> {
    const shape = (m: SoapMessage) => ({
      body: m.body
        ? this.writer.ofElement(m.body)
        : { type: 'object' as const, properties: {}, additionalProperties: false },
      headers: m.headers.map(({ element }) => ({
        name: element.name,
        schema: element.type.kind === 'simple' ? this.writer.ofSimple(element.type) : this.writer.ofElement(element),
        required: true,
        documentation: element.doc,
      })),
      mediaType: soap.version === '1.1' ? 'text/xml' : 'application/soap+xml',
    });
    return {
      request: shape(soap.input),
      reply: soap.output && shape(soap.output),
      faults: soap.faults.map((f) => ({
        name: f.name,
        schema: this.writer.ofElement(f.element),
        documentation: f.element.doc,
      })),
    };
  }

  private message(
    bound: Bound,
    node: XmlElement,
    op: XmlElement,
    direction: 'input' | 'output',
    style: string,
  ): SoapMessage | undefined {
    const abstract = childOf(op, WSDL, direction);
    if (!abstract) return undefined;
    const message = this.need('message', qnameOf(abstract, attributeOf(abstract, 'message') ?? ''), abstract);
    const wire = childOf(node, WSDL, direction);
    if (wire?.children.some((c) => c.local === 'multipartRelated')) throw new Unusable('it sends MIME attachments');
    const body = wire?.children.find((c) => c.uri === bound.soapUri && c.local === 'body');
    if (body && attributeOf(body, 'use') === 'encoded')
      throw new Unusable(`it is ${style}/encoded, which no schema describes`);
    const headers = (wire?.children ?? [])
      .filter((c) => c.uri === bound.soapUri && c.local === 'header')
      .map((h) => ({ element: this.headerElement(h) }));
    const all = childrenOf(message, WSDL, 'part');
    const only = body && attributeOf(body, 'parts')?.split(/\s+/).filter(Boolean);
    const headerParts = new Set(
      (wire?.children ?? [])
        .filter(
          (c) =>
            c.local === 'header' &&
            c.uri === bound.soapUri &&
            qnameOf(c, attributeOf(c, 'message') ?? '').local === attributeOf(message, 'name'),
        )
        .map((c) => attributeOf(c, 'part')),
    );
    const parts = all.filter((p) =>
      only ? only.includes(attributeOf(p, 'name') ?? '') : !headerParts.has(attributeOf(p, 'name')),
    );
    if (style === 'rpc') {
      const opName = attributeOf(node, 'name')!;
      const uri = (body && attributeOf(body, 'namespace')) ?? '';
      return {
        body: this.rpcWrapper(direction === 'input' ? opName : `${opName}Response`, uri, parts, message),
        headers,
      };
    }
    if (parts.length > 1)
      throw new Unusable(
        'its body has several parts, which document/literal does not allow (WS-I Basic Profile 1.1, R2201)',
      );
    return { body: parts[0] && this.partElement(parts[0]), headers };
  }

  private headerElement(header: XmlElement): ElementDecl {
    const message = this.need('message', qnameOf(header, attributeOf(header, 'message') ?? ''), header);
    if (attributeOf(header, 'use') === 'encoded') throw new Unusable('a header is encoded');
    const partName = attributeOf(header, 'part');
    const part = childrenOf(message, WSDL, 'part').find((p) => attributeOf(p, 'name') === partName);
    if (!part)
      throw new HingeError(
        'HNG-115',
        `the message ${attributeOf(message, 'name')} has no part ${partName}`,
        placeOf(header),
      );
    return this.partElement(part);
  }

  private partElement(part: XmlElement): ElementDecl {
    const element = attributeOf(part, 'element');
    if (!element)
      throw new Unusable(`the part ${attributeOf(part, 'name')} names a type; document/literal needs an element`);
    return this.set.element(qnameOf(part, element), part);
  }

  /** rpc/literal: an element named after the operation, each part an unqualified child (WSDL 1.1 §3.5, WS-I BP 1.1 R2735). */
  private rpcWrapper(name: string, uri: string, parts: readonly XmlElement[], message: XmlElement): ElementDecl {
    const particles: Particle[] = parts.map((part) => {
      const typeName = attributeOf(part, 'type');
      if (!typeName)
        throw new Unusable(`the part ${attributeOf(part, 'name')} names an element; rpc/literal needs a type`);
      const type = this.set.type(qnameOf(part, typeName), part);
      const term: ElementDecl = {
        kind: 'element',
        name: attributeOf(part, 'name')!,
        uri: '',
        global: false,
        nillable: false,
        abstract: false,
        doc: docOf(part),
        place: placeOf(part),
        type,
        schemas: this.set,
      };
      return { min: 1, max: 1, term };
    });
    return {
      kind: 'element',
      name,
      uri,
      wrapper: true,
      global: true,
      nillable: false,
      abstract: false,
      place: placeOf(message),
      type: {
        kind: 'complex',
        abstract: false,
        mixed: false,
        derivation: 'restriction',
        attributes: [],
        anyAttribute: [],
        place: placeOf(message),
        content: particles.length
          ? { kind: 'elements', particle: { min: 1, max: 1, term: { kind: 'sequence', particles } } }
          : { kind: 'empty' },
      },
    };
  }

  private faults(op: XmlElement): SoapFaultDecl[] {
    const out: SoapFaultDecl[] = [];
    for (const f of childrenOf(op, WSDL, 'fault')) {
      const message = this.need('message', qnameOf(f, attributeOf(f, 'message') ?? ''), f);
      const part = childrenOf(message, WSDL, 'part')[0];
      if (part && attributeOf(part, 'element'))
        out.push({
          name: attributeOf(f, 'name') ?? attributeOf(message, 'name') ?? 'fault',
          element: this.partElement(part),
        });
    }
    return out;
  }

  /** soap:headerfault (WSDL 1.1 §3.7): what a fault says about a header stands in a header block, never in the detail (SOAP 1.1 §4.4). */
  private headerFaults(bound: Bound, node: XmlElement): SoapFaultDecl[] {
    return ['input', 'output'].flatMap((direction) =>
      childrenOf(node, WSDL, direction)
        .flatMap((wire) => wire.children.filter((c) => c.uri === bound.soapUri && c.local === 'header'))
        .flatMap((header) => header.children.filter((c) => c.uri === bound.soapUri && c.local === 'headerfault'))
        .map((f) => {
          const element = this.headerElement(f);
          return { name: attributeOf(f, 'part') ?? element.name, element, inHeader: true };
        }),
    );
  }
}

class Unusable extends Error {}

function docOf(node: XmlElement): string | undefined {
  const d = childOf(node, WSDL, 'documentation');
  return (d && deepText(d).replace(/\s+/g, ' ').trim()) || undefined;
}
