import { HingeError } from '../../problem';
import {
  attributeOf,
  childOf,
  childrenOf,
  escapeAttribute,
  escapeText,
  namespaceOf,
  placeOf,
  qnameOf,
  type QName,
  type XmlElement,
} from '../../xml';
import type { ContractFiles } from '../model';
import { XSD } from '../xsd';
import { WSDL } from './names';
import { openWsdl, type WsdlOptions } from './read';

export interface WriteWsdlOptions extends WsdlOptions {
  /** Address of the port. */
  readonly address: string;
  /** Names of the operations that are offered; all when absent. */
  readonly operations?: readonly string[];
}

/**
 * One self-contained WSDL 1.1 of the ports that are used: schemas inlined, one for each namespace, the ports at another address. Names of
 * service, port, binding, port type, operations, messages and parts stay as they are.
 */
export function writeWsdl(source: ContractFiles, options: WriteWsdlOptions): string {
  const { definitions, set, reader } = openWsdl(source, options);
  const entry = definitions[0]!;
  const bounds = reader.chooseBindings(entry);
  const target = attributeOf(entry, 'targetNamespace') ?? '';
  const wanted = (name: string | undefined) => !options.operations || options.operations.includes(name ?? '');
  const names = new Prefixes(target);

  const messages = new Map<string, XmlElement>();
  const message = (from: XmlElement): string => {
    const q = qnameOf(from, attributeOf(from, 'message') ?? '');
    const found = reader.need('message', q, from);
    // Messages of several documents come into one namespace; two of one name would be taken for one.
    let name = q.local;
    for (let n = 2; messages.has(name) && messages.get(name) !== found; n++) name = `${q.local}${n}`;
    messages.set(name, found);
    return name;
  };

  const offered = bounds.flatMap((bound) => {
    const portType = reader.portTypeOf(bound);
    const operations = childrenOf(portType, WSDL, 'operation')
      .filter((o) => wanted(attributeOf(o, 'name')))
      .map((o) => {
        const inner = ['input', 'output', 'fault'].flatMap((kind) =>
          childrenOf(o, WSDL, kind).map((c) => {
            const name = attributeOf(c, 'name');
            return `<wsdl:${kind}${name ? ` name="${escapeAttribute(name)}"` : ''} message="tns:${message(c)}"/>`;
          }),
        );
        // The order of input and output is the kind of the operation (§2.4).
        return `<wsdl:operation name="${attributeOf(o, 'name')}">${documentation(o)}${inner.join('')}</wsdl:operation>`;
      });
    if (!operations.length) return [];
    const soapBinding = bound.binding.children.find((c) => c.uri === bound.soapUri && c.local === 'binding')!;
    const inner = childrenOf(bound.binding, WSDL, 'operation')
      .filter((o) => wanted(attributeOf(o, 'name')))
      .map((o) => bindingOperation(o, bound.soapUri, message));
    const typeName = attributeOf(portType, 'name')!;
    const bindingName = attributeOf(bound.binding, 'name')!;
    const soap = `xmlns:soap="${bound.soapUri}"`;
    return {
      portType: `<wsdl:portType name="${typeName}">${documentation(portType)}${operations.join('')}</wsdl:portType>`,
      binding: `<wsdl:binding ${soap} name="${bindingName}" type="tns:${typeName}">${plainTag('soap:binding', soapBinding)}${inner.join('')}</wsdl:binding>`,
      service: bound.serviceName ?? 'Service',
      port: `<wsdl:port name="${bound.portName ?? 'Port'}" binding="tns:${bindingName}"><soap:address ${soap} location="${escapeAttribute(options.address)}"/></wsdl:port>`,
    };
  });
  const messageText = [...messages].map(([name, m]) => {
    const parts = childrenOf(m, WSDL, 'part').map((p) => {
      const kind = attributeOf(p, 'element') ? 'element' : 'type';
      const q = qnameOf(p, attributeOf(p, kind) ?? '');
      return `<wsdl:part name="${attributeOf(p, 'name')}" ${kind}="${names.qname(q)}"/>`;
    });
    return `<wsdl:message name="${name}">${parts.join('')}</wsdl:message>`;
  });
  const schemas = inlineSchemas(set.documents);
  const services = new Map<string, string>();
  for (const o of offered) services.set(o.service, (services.get(o.service) ?? '') + o.port);
  const body = [
    documentation(entry),
    `<wsdl:types>${schemas}</wsdl:types>`,
    ...messageText,
    ...offered.map((o) => o.portType),
    ...offered.map((o) => o.binding),
    ...[...services].map(([name, ports]) => `<wsdl:service name="${name}">${ports}</wsdl:service>`),
  ];
  const name = attributeOf(entry, 'name');
  return `<?xml version="1.0" encoding="UTF-8"?>\n<wsdl:definitions${name ? ` name="${escapeAttribute(name)}"` : ''} targetNamespace="${escapeAttribute(target)}" xmlns:wsdl="${WSDL}" xmlns:xs="${XSD}"${names.declarations()}>\n${body.filter(Boolean).join('\n')}\n</wsdl:definitions>\n`;
}

/** Prefixes of the definitions element. */
class Prefixes {
  private readonly byUri = new Map<string, string>();

  constructor(target: string) {
    this.byUri.set(target, 'tns');
    this.byUri.set(XSD, 'xs');
  }

  qname(q: QName): string {
    if (q.uri === '') return q.local;
    let p = this.byUri.get(q.uri);
    if (!p) {
      p = `q${this.byUri.size}`;
      this.byUri.set(q.uri, p);
    }
    return `${p}:${q.local}`;
  }

  declarations(): string {
    return [...this.byUri]
      .filter(([uri]) => uri !== XSD)
      .map(([uri, p]) => ` xmlns:${p}="${escapeAttribute(uri)}"`)
      .join('');
  }
}

function bindingOperation(o: XmlElement, soapUri: string, message: (from: XmlElement) => string): string {
  const own = o.children.find((c) => c.uri === soapUri && c.local === 'operation');
  const parts = o.children
    .filter((c) => c.uri === WSDL && ['input', 'output', 'fault'].includes(c.local))
    .map((c) => {
      const inner = c.children.filter((x) => x.uri === soapUri).map((x) => soapPart(x, message));
      const name = attributeOf(c, 'name');
      return `<wsdl:${c.local}${name ? ` name="${escapeAttribute(name)}"` : ''}>${inner.join('')}</wsdl:${c.local}>`;
    });
  return `<wsdl:operation name="${attributeOf(o, 'name')}">${own ? plainTag('soap:operation', own) : ''}${parts.join('')}</wsdl:operation>`;
}

/** soap:body, soap:header with its headerfaults, soap:fault. */
function soapPart(x: XmlElement, message: (from: XmlElement) => string): string {
  const attributes = x.attributes
    .map((a) => ` ${a.local}="${a.local === 'message' ? `tns:${message(x)}` : escapeAttribute(a.value)}"`)
    .join('');
  const inner = x.children.filter((c) => c.uri === x.uri).map((c) => soapPart(c, message));
  return inner.length
    ? `<soap:${x.local}${attributes}>${inner.join('')}</soap:${x.local}>`
    : `<soap:${x.local}${attributes}/>`;
}

const plainTag = (name: string, e: XmlElement): string =>
  `<${name}${e.attributes.map((a) => ` ${a.local}="${escapeAttribute(a.value)}"`).join('')}/>`;

function documentation(e: XmlElement): string {
  const d = childOf(e, WSDL, 'documentation');
  const text = d?.text.trim();
  return text ? `<wsdl:documentation>${escapeText(text)}</wsdl:documentation>` : '';
}

interface SchemaPart {
  readonly root: XmlElement;
  readonly targetNamespace: string;
  readonly elementsQualified: boolean;
  readonly attributesQualified: boolean;
  readonly chameleon: boolean;
}

/** One xs:schema for each namespace; where documents of one namespace differ in their form defaults, `form` is written out. */
function inlineSchemas(documents: readonly SchemaPart[]): string {
  const byNamespace = new Map<string, SchemaPart[]>();
  for (const d of documents) byNamespace.set(d.targetNamespace, [...(byNamespace.get(d.targetNamespace) ?? []), d]);
  const out: string[] = [];
  for (const [uri, parts] of byNamespace) {
    const first = parts[0]!;
    const imports = new Set<string>();
    const components: string[] = [];
    const before = redefinedNames(parts);
    for (const part of parts) {
      for (const c of part.root.children) {
        if (c.uri !== XSD || c.local === 'annotation' || c.local === 'include') continue;
        if (c.local === 'import') imports.add(attributeOf(c, 'namespace') ?? '');
        else if (c.local === 'redefine')
          for (const r of c.children.filter((x) => attributeOf(x, 'name')))
            components.push(component(r, part, first, selfTo(before.get(nameKey(r))!, part)));
        else components.push(component(c, part, first, renamedTo(c, before.get(nameKey(c)))));
      }
    }
    imports.delete(uri);
    const importText = [...imports].map((n) => `<xs:import${n ? ` namespace="${escapeAttribute(n)}"` : ''}/>`).join('');
    out.push(
      `<xs:schema${uri ? ` targetNamespace="${escapeAttribute(uri)}"` : ''} elementFormDefault="${first.elementsQualified ? 'qualified' : 'unqualified'}" attributeFormDefault="${first.attributesQualified ? 'qualified' : 'unqualified'}">${importText}${components.join('')}</xs:schema>`,
    );
  }
  return out.join('\n');
}

/** Another value of one attribute, or undefined where it stays. */
type Change = (e: XmlElement, attribute: string, value: string) => string | undefined;

const nameKey = (e: XmlElement): string => `${e.local} ${attributeOf(e, 'name')}`;

/**
 * What xs:redefine takes the place of goes on under a name of its own, to which only its successor refers (Part 1 §4.2.2). By kind and name; the
 * new names are none that stand there already.
 */
function redefinedNames(parts: readonly SchemaPart[]): ReadonlyMap<string, string> {
  const taken = new Set(parts.flatMap((p) => p.root.children.map((c) => attributeOf(c, 'name') ?? '')));
  const out = new Map<string, string>();
  for (const redefine of parts.flatMap((p) => p.root.children.filter((c) => c.uri === XSD && c.local === 'redefine')))
    for (const c of redefine.children) {
      const name = attributeOf(c, 'name');
      if (!name) continue;
      if (out.has(nameKey(c)))
        throw new HingeError(
          'HNG-126',
          `${name} is redefined twice, which cannot be written into one document`,
          placeOf(c),
        );
      let other = `${name}.before`;
      while (taken.has(other)) other += '-';
      taken.add(other);
      out.set(nameKey(c), other);
    }
  return out;
}

const renamedTo =
  (component: XmlElement, to: string | undefined): Change =>
  (e, attribute) =>
    e === component && attribute === 'name' ? to : undefined;

/** Where a redefinition names itself, it means what it takes the place of. */
const selfTo = (to: string, part: SchemaPart): Change => {
  const self = (e: XmlElement): string | undefined => {
    for (let at: XmlElement | undefined = e; at?.parent; at = at.parent)
      if (at.parent.local === 'redefine' && at.parent.uri === XSD) return attributeOf(at, 'name');
    return undefined;
  };
  return (e, attribute, value) => {
    if (attribute !== 'base' && !(attribute === 'ref' && (e.local === 'group' || e.local === 'attributeGroup')))
      return undefined;
    const q = qnameOf(e, value);
    const uri = q.uri === '' && part.chameleon ? part.targetNamespace : q.uri;
    if (uri !== part.targetNamespace || q.local !== self(e)) return undefined;
    return value.slice(0, value.length - q.local.length) + to;
  };
};

/** A global component with every binding that was in force around it. */
function component(e: XmlElement, part: SchemaPart, first: SchemaPart, change: Change): string {
  const bindings = new Map<string, string>();
  for (let at: XmlElement | undefined = e; at; at = at.parent)
    for (const [p, uri] of Object.entries(at.declared)) if (!bindings.has(p)) bindings.set(p, uri);
  // In a chameleon names without a prefix mean the includer's namespace (Part 1 §4.2.1).
  if (part.chameleon && namespaceOf(e, '') === '') bindings.set('', part.targetNamespace);
  const declarations = [...bindings]
    .filter(([p, uri]) => p !== 'xml' && !(p !== '' && uri === ''))
    .map(([p, uri]) => ` xmlns${p && `:${p}`}="${escapeAttribute(uri)}"`)
    .join('');
  return print(e, declarations, (x) => forms(x, part, first), change);
}

function forms(e: XmlElement, part: SchemaPart, first: SchemaPart): string {
  if (e.uri !== XSD || attributeOf(e, 'form') || attributeOf(e, 'ref') || e.parent === part.root) return '';
  if (e.local === 'element' && part.elementsQualified !== first.elementsQualified)
    return ` form="${part.elementsQualified ? 'qualified' : 'unqualified'}"`;
  if (e.local === 'attribute' && part.attributesQualified !== first.attributesQualified)
    return ` form="${part.attributesQualified ? 'qualified' : 'unqualified'}"`;
  return '';
}

function print(e: XmlElement, declarations: string, extra: (e: XmlElement) => string, change: Change): string {
  const name = e.prefix ? `${e.prefix}:${e.local}` : e.local;
  const attributes = e.attributes
    .map((a) => {
      const value = (a.prefix ? undefined : change(e, a.local, a.value)) ?? a.value;
      return ` ${a.prefix ? `${a.prefix}:` : ''}${a.local}="${escapeAttribute(value)}"`;
    })
    .join('');
  const inner = e.children
    .map((c) =>
      print(
        c,
        Object.entries(c.declared)
          .map(([p, uri]) => ` xmlns${p && `:${p}`}="${escapeAttribute(uri)}"`)
          .join(''),
        extra,
        change,
      ),
    )
    .join('');
  const text = e.children.length ? '' : escapeText(e.text.trim());
  const head = `<${name}${declarations}${attributes}${extra(e)}`;
  return inner || text ? `${head}>${text}${inner}</${name}>` : `${head}/>`;
}
