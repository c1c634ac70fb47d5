import { HingeError } from '../../problem';
import { attributeOf, internNamespace, keyOf, placeOf, qnameOf, type QName, type XmlElement } from '../../xml';
import { builtinType } from './builtins';
import { XSD, type AttributeUse, type ComplexType, type ElementDecl, type SimpleType, type Type } from './components';
import { ANY_TYPE } from './any';
import { encodingType } from './encoding';
import { attributeDecl, buildComplex, buildElement, buildSimple } from './build';
import { COMPONENT_KINDS, type ComponentKind, type Declared, type Resolver, type SchemaDocument } from './resolver';

/** All schemas of one contract: global declarations by kind and name, components built on first use. */
export class SchemaSet implements Resolver {
  private readonly declared: Record<ComponentKind, Map<string, Declared>> = {
    element: new Map(),
    complexType: new Map(),
    simpleType: new Map(),
    attribute: new Map(),
    group: new Map(),
    attributeGroup: new Map(),
  };
  /** Every schema that takes part, in the order in which they were met. */
  readonly documents: SchemaDocument[] = [];
  private readonly elements = new Map<string, ElementDecl>();
  private readonly attributes = new Map<string, AttributeUse>();
  private readonly types = new Map<string, Type>();
  private readonly building = new Set<string>();
  /** Names that a substitution group's head stands for. */
  private readonly substitutes = new Map<string, string[]>();
  /** Types by the base that they are derived from. */
  private readonly derived = new Map<string, string[]>();

  /**
   * xs:redefine (Part 1 §4.2.2): the included schema stands already; each component inside takes the place of the one of its name,
   * which goes on living under a name that only the new one refers to.
   */
  redefine(node: XmlElement, doc: SchemaDocument): void {
    for (const c of node.children) {
      const name = attributeOf(c, 'name');
      if (c.uri !== XSD || !COMPONENT_KINDS.includes(c.local as ComponentKind) || !name) continue;
      const kind = c.local as ComponentKind;
      const key = keyOf(doc.targetNamespace, name);
      const before = this.declared[kind].get(key);
      if (!before) throw new HingeError('HNG-115', `there is no ${kind} ${name} in the redefined schema`, placeOf(c));
      this.declared[kind].set(keyOf(doc.targetNamespace, name + REDEFINED), before);
      this.declared[kind].set(key, { node: c, doc });
    }
  }

  addSchema(root: XmlElement, includerNamespace?: string): SchemaDocument {
    const own = attributeOf(root, 'targetNamespace');
    const doc: SchemaDocument = {
      root,
      targetNamespace: internNamespace(own ?? includerNamespace ?? ''),
      elementsQualified: attributeOf(root, 'elementFormDefault') === 'qualified',
      attributesQualified: attributeOf(root, 'attributeFormDefault') === 'qualified',
      chameleon: own === undefined && !!includerNamespace,
    };
    this.documents.push(doc);
    for (const node of root.children) {
      if (node.uri !== XSD || !COMPONENT_KINDS.includes(node.local as ComponentKind)) continue;
      const name = attributeOf(node, 'name');
      if (!name) throw new HingeError('HNG-116', `a global ${node.local} has no name`, placeOf(node));
      const key = keyOf(doc.targetNamespace, name);
      const map = this.declared[node.local as ComponentKind];
      if (!map.has(key)) map.set(key, { node, doc });
      this.noteDerivation(node, doc, key);
    }
    return doc;
  }

  private noteDerivation(node: XmlElement, doc: SchemaDocument, key: string): void {
    const head = node.local === 'element' ? attributeOf(node, 'substitutionGroup') : undefined;
    if (head) push(this.substitutes, this.keyFor(node, head, doc), key);
    if (node.local !== 'complexType') return;
    for (const content of node.children) {
      if (content.local !== 'complexContent' && content.local !== 'simpleContent') continue;
      for (const d of content.children) {
        const base = d.local === 'extension' || d.local === 'restriction' ? attributeOf(d, 'base') : undefined;
        if (base) push(this.derived, this.keyFor(d, base, doc), key);
      }
    }
  }

  private keyFor(node: XmlElement, text: string, doc: SchemaDocument): string {
    const q = this.resolveName(node, text, doc);
    return keyOf(q.uri, q.local);
  }

  /** A QName in a schema; in a chameleon document unprefixed names mean the includer's namespace. */
  resolveName(node: XmlElement, text: string, doc: SchemaDocument): QName {
    const q = qnameOf(node, text);
    const full = q.uri === '' && doc.chameleon ? { uri: doc.targetNamespace, local: q.local } : q;
    return isRedefined(node, full, doc) ? { uri: full.uri, local: full.local + REDEFINED } : full;
  }

  lookup(kind: ComponentKind, q: QName): Declared | undefined {
    return this.declared[kind].get(keyOf(q.uri, q.local));
  }

  need(kind: ComponentKind, q: QName, from: XmlElement): Declared {
    const found = this.lookup(kind, q);
    if (!found)
      throw new HingeError(
        'HNG-115',
        `there is no ${kind} ${q.local} in namespace ${q.uri || '(none)'}`,
        placeOf(from),
      );
    return found;
  }

  element(q: QName, from: XmlElement): ElementDecl {
    if (q.uri === XSD && q.local === 'schema') return SCHEMA_ELEMENT;
    const key = keyOf(q.uri, q.local);
    let decl = this.elements.get(key);
    if (!decl) {
      const { node, doc } = this.need('element', q, from);
      decl = buildElement(this, node, doc, true);
      this.elements.set(key, decl);
    }
    return decl;
  }

  elementNamed(q: QName): ElementDecl | undefined {
    const found = this.lookup('element', q);
    return found && this.element(q, found.node);
  }

  attributeNamed(q: QName): AttributeUse | undefined {
    const key = keyOf(q.uri, q.local);
    let use = this.attributes.get(key);
    const found = use ? undefined : this.lookup('attribute', q);
    if (found)
      this.attributes.set(key, (use = { ...attributeDecl(this, found.node, found.doc, true), required: false }));
    return use;
  }

  /** Members of the substitution group of a global element, itself left out, transitively. */
  substitutesOf(q: QName): ElementDecl[] {
    const out: ElementDecl[] = [];
    const seen = new Set<string>();
    const walk = (key: string) => {
      for (const member of this.substitutes.get(key) ?? []) {
        if (seen.has(member)) continue;
        seen.add(member);
        const { node } = this.declared.element.get(member)!;
        const close = member.indexOf('}');
        const decl = this.element({ uri: member.slice(1, close), local: member.slice(close + 1) }, node);
        if (!decl.abstract) out.push(decl);
        walk(member);
      }
    };
    walk(keyOf(q.uri, q.local));
    return out;
  }

  /** Complex types derived from the named one, itself left out, transitively. */
  derivedFrom(q: QName): ComplexType[] {
    const out: ComplexType[] = [];
    const seen = new Set<string>();
    const walk = (key: string) => {
      for (const name of this.derived.get(key) ?? []) {
        if (seen.has(name)) continue;
        seen.add(name);
        const close = name.indexOf('}');
        const { node } = this.declared.complexType.get(name)!;
        const type = this.type({ uri: name.slice(1, close), local: name.slice(close + 1) }, node);
        if (type.kind === 'complex' && !type.abstract) out.push(type);
        walk(name);
      }
    };
    walk(keyOf(q.uri, q.local));
    return out;
  }

  typeNamed(q: QName): Type | undefined {
    if (q.uri === XSD) return q.local === 'anyType' ? ANY_TYPE : builtinType(q.local);
    const found = this.lookup('complexType', q) ?? this.lookup('simpleType', q);
    return found && this.type(q, found.node);
  }

  typesCalled(local: string): Type[] {
    const out: Type[] = [];
    for (const kind of ['complexType', 'simpleType'] as const) {
      for (const [key, { node }] of this.declared[kind]) {
        const close = key.indexOf('}');
        if (key.slice(close + 1) === local) out.push(this.type({ uri: key.slice(1, close), local }, node));
      }
    }
    const builtin = builtinType(local);
    return builtin ? [...out, builtin] : out;
  }

  simpleType(q: QName, from: XmlElement): SimpleType {
    const t = this.type(q, from);
    if (t.kind !== 'simple')
      throw new HingeError('HNG-116', `${q.local} is a complex type; a simple one must stand here`, placeOf(from));
    return t;
  }

  type(q: QName, from: XmlElement): Type {
    if (q.uri === XSD) {
      const builtin = builtinType(q.local);
      if (builtin) return builtin;
      if (q.local === 'anyType') return ANY_TYPE;
      throw new HingeError('HNG-115', `XML Schema has no type ${q.local}`, placeOf(from));
    }
    const key = keyOf(q.uri, q.local);
    const have = this.types.get(key);
    if (have) return have;
    const found = this.lookup('complexType', q) ?? this.lookup('simpleType', q);
    const encoded = found ? undefined : encodingType(q);
    if (encoded) return encoded;
    if (!found)
      throw new HingeError('HNG-115', `there is no type ${q.local} in namespace ${q.uri || '(none)'}`, placeOf(from));
    if (this.building.has(key))
      throw new HingeError('HNG-116', `the type ${q.local} is derived from itself`, placeOf(found.node));
    this.building.add(key);
    try {
      const type =
        found.node.local === 'complexType'
          ? buildComplex(this, found.node, found.doc, q)
          : buildSimple(this, found.node, found.doc, q);
      this.types.set(key, type);
      return type;
    } finally {
      this.building.delete(key);
    }
  }
}

const REDEFINED = ' (redefined)';

/** True where a component inside xs:redefine names itself: it means the one that it redefines. */
function isRedefined(node: XmlElement, q: QName, doc: SchemaDocument): boolean {
  if (q.uri !== doc.targetNamespace) return false;
  for (let at: XmlElement | undefined = node; at?.parent; at = at.parent)
    if (at.parent.local === 'redefine' && at.parent.uri === XSD) return attributeOf(at, 'name') === q.local;
  return false;
}

/** A schema within a message: services that send tables send one before them (common practice). */
const SCHEMA_ELEMENT: ElementDecl = {
  kind: 'element',
  name: 'schema',
  uri: XSD,
  global: true,
  nillable: false,
  abstract: false,
  type: ANY_TYPE,
  place: {},
};

function push(map: Map<string, string[]>, key: string, value: string): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}
