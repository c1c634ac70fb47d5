import { HingeError } from '../../problem';
import { attributeOf, childOf, placeOf, type QName, type XmlElement } from '../../xml';
import { builtinType } from './builtins';
import { SOAP_ENCODINGS } from './encoding';
import {
  XSD,
  type AttributeUse,
  type ComplexType,
  type Content,
  type ElementDecl,
  type Facets,
  type ModelGroup,
  type Particle,
  type SimpleType,
  type Term,
  type Type,
  type Wildcard,
} from './components';
import { documentationOf, type Resolver, type SchemaDocument } from './resolver';
import { wildcardOf } from './wildcard';

/** From xs:… elements to components. Clauses: XML Schema Part 1 §3.3 to §3.9, Part 2 §4.1. */

export function buildElement(set: Resolver, node: XmlElement, doc: SchemaDocument, global: boolean): ElementDecl {
  const name = attributeOf(node, 'name');
  if (!name) throw new HingeError('HNG-116', 'an element has neither name nor ref', placeOf(node));
  const form = attributeOf(node, 'form');
  const qualified = global || (form ? form === 'qualified' : doc.elementsQualified);
  let type: Type | undefined;
  let substitutes: readonly ElementDecl[] | undefined;
  return {
    kind: 'element',
    name,
    uri: qualified ? doc.targetNamespace : '',
    global,
    nillable: isTrue(attributeOf(node, 'nillable')),
    abstract: isTrue(attributeOf(node, 'abstract')),
    fallback: attributeOf(node, 'default') ?? attributeOf(node, 'fixed'),
    doc: documentationOf(node),
    place: placeOf(node),
    get type() {
      return (type ??= withFixed(elementType(set, node, doc), attributeOf(node, 'fixed')));
    },
    get substitutes() {
      return (substitutes ??= global ? set.substitutesOf({ uri: doc.targetNamespace, local: name }) : []);
    },
    schemas: set,
  };
}

/** What is fixed is the one value that a simple type has there (Part 1 §3.2.1, §3.3.1): an enumeration of one, held by value. */
function withFixed<T extends Type>(type: T, fixed: string | undefined): T {
  if (fixed === undefined || type.kind !== 'simple') return type;
  return { ...type, name: undefined, facets: { ...type.facets, enumeration: [fixed] } };
}

function elementType(set: Resolver, node: XmlElement, doc: SchemaDocument): Type {
  const named = attributeOf(node, 'type');
  if (named) return set.type(set.resolveName(node, named, doc), node);
  const complex = childOf(node, XSD, 'complexType');
  if (complex) return buildComplex(set, complex, doc);
  const simple = childOf(node, XSD, 'simpleType');
  if (simple) return buildSimple(set, simple, doc);
  const head = attributeOf(node, 'substitutionGroup');
  if (head) return set.element(set.resolveName(node, head, doc), node).type;
  return set.type({ uri: XSD, local: 'anyType' }, node);
}

export function buildComplex(set: Resolver, node: XmlElement, doc: SchemaDocument, name?: QName): ComplexType {
  let derived: readonly ComplexType[] | undefined;
  return {
    kind: 'complex' as const,
    name,
    abstract: isTrue(attributeOf(node, 'abstract')),
    doc: documentationOf(node),
    place: placeOf(node),
    ...complexBody(set, node, doc),
    get derived() {
      return (derived ??= name ? set.derivedFrom(name) : []);
    },
  };
}

function complexBody(set: Resolver, node: XmlElement, doc: SchemaDocument): Derived & Pick<ComplexType, 'mixed'> {
  const mixed = isTrue(attributeOf(node, 'mixed'));
  const simpleContent = childOf(node, XSD, 'simpleContent');
  if (simpleContent) return { mixed: false, ...simpleContentOf(set, simpleContent, doc) };
  const complexContent = childOf(node, XSD, 'complexContent');
  if (complexContent) {
    const own = complexContentOf(set, complexContent, doc);
    // Part 1 §3.4.2: an extension of mixed content is mixed too.
    const inherited = own.derivation === 'extension' && own.base?.kind === 'complex' && own.base.mixed;
    return { mixed: mixed || isTrue(attributeOf(complexContent, 'mixed')) || inherited, ...own };
  }
  const own = attributesOf(set, node, doc);
  return {
    mixed,
    derivation: 'restriction',
    content: contentOf(set, node, doc),
    attributes: own.uses,
    anyAttribute: own.any,
  };
}

type Derived = Pick<ComplexType, 'base' | 'derivation' | 'content' | 'attributes' | 'anyAttribute'>;

function derivationNode(content: XmlElement): XmlElement {
  const node = childOf(content, XSD, 'extension') ?? childOf(content, XSD, 'restriction');
  if (!node)
    throw new HingeError('HNG-116', `${content.local} holds neither extension nor restriction`, placeOf(content));
  if (!attributeOf(node, 'base')) throw new HingeError('HNG-116', `${node.local} names no base`, placeOf(node));
  return node;
}

function simpleContentOf(set: Resolver, content: XmlElement, doc: SchemaDocument): Derived {
  const node = derivationNode(content);
  const base = set.type(set.resolveName(node, attributeOf(node, 'base')!, doc), node);
  const own = attributesOf(set, node, doc);
  const inherited = base.kind === 'complex' ? base.attributes : [];
  let simple: SimpleType;
  if (base.kind === 'simple') simple = base;
  else if (base.content.kind === 'simple') simple = base.content.type;
  else simple = builtinType('string')!;
  if (node.local === 'restriction') {
    const inner = childOf(node, XSD, 'simpleType');
    if (inner) simple = buildSimple(set, inner, doc);
    simple = { ...simple, name: undefined, facets: facetsOf(node, simple.facets) };
  }
  return {
    base,
    derivation: node.local === 'extension' ? 'extension' : 'restriction',
    content: { kind: 'simple', type: simple },
    attributes: mergeAttributes(inherited, own),
    anyAttribute: base.kind === 'complex' ? [...own.any, ...base.anyAttribute] : own.any,
  };
}

function complexContentOf(set: Resolver, content: XmlElement, doc: SchemaDocument): Derived {
  const node = derivationNode(content);
  const base = set.type(set.resolveName(node, attributeOf(node, 'base')!, doc), node);
  const own = attributesOf(set, node, doc);
  const ownContent = contentOf(set, node, doc);
  const parent: ComplexType | undefined = base.kind === 'complex' ? base : undefined;
  if (node.local === 'restriction') {
    const encoded = base.kind === 'complex' && SOAP_ENCODINGS.has(base.name?.uri ?? '');
    const fromAny = encoded || (base.kind === 'complex' && base.name?.uri === XSD);
    return {
      base,
      derivation: 'restriction',
      // What the items of an encoded array are called is nobody's business (SOAP 1.1 §5.4.2).
      content: encoded && ownContent.kind === 'empty' ? base.content : ownContent,
      attributes: mergeAttributes(fromAny ? [] : (parent?.attributes ?? []), own),
      anyAttribute: own.any,
    };
  }
  return {
    base,
    derivation: 'extension',
    content: extendContent(parent?.content ?? { kind: 'empty' }, ownContent),
    attributes: mergeAttributes(parent?.attributes ?? [], own),
    anyAttribute: [...own.any, ...(parent?.anyAttribute ?? [])],
  };
}

/** Part 1 §3.4.2: the extended content is a sequence of the base's particle and the own one. */
function extendContent(base: Content, own: Content): Content {
  if (base.kind !== 'elements') return own.kind === 'empty' ? base : own;
  if (own.kind !== 'elements') return base;
  return {
    kind: 'elements',
    particle: { min: 1, max: 1, term: { kind: 'sequence', particles: [base.particle, own.particle] } },
  };
}

function contentOf(set: Resolver, node: XmlElement, doc: SchemaDocument): Content {
  for (const c of node.children) {
    if (c.uri !== XSD) continue;
    const particle = particleOf(set, c, doc);
    if (!particle) continue;
    if (particle.max === 0) return { kind: 'empty' };
    const group = particle.term;
    if (group.kind !== 'element' && group.kind !== 'any' && group.particles.length === 0) return { kind: 'empty' };
    return { kind: 'elements', particle };
  }
  return { kind: 'empty' };
}

function particleOf(set: Resolver, node: XmlElement, doc: SchemaDocument): Particle | undefined {
  const term = termOf(set, node, doc);
  if (!term) return undefined;
  return { min: occurs(node, 'minOccurs'), max: occurs(node, 'maxOccurs'), term };
}

function termOf(set: Resolver, node: XmlElement, doc: SchemaDocument): Term | undefined {
  switch (node.local) {
    case 'sequence':
    case 'choice':
    case 'all':
      return groupOf(set, node, doc, node.local);
    case 'element': {
      const ref = attributeOf(node, 'ref');
      return ref ? set.element(set.resolveName(node, ref, doc), node) : buildElement(set, node, doc, false);
    }
    case 'group': {
      const ref = attributeOf(node, 'ref');
      if (!ref) throw new HingeError('HNG-116', 'a group in a content model has no ref', placeOf(node));
      const found = set.need('group', set.resolveName(node, ref, doc), node);
      const model = found.node.children.find((c) => c.uri === XSD && ['sequence', 'choice', 'all'].includes(c.local));
      if (!model) throw new HingeError('HNG-116', 'a group holds no sequence, choice or all', placeOf(found.node));
      return once(found.node, () => groupOf(set, model, found.doc, model.local as ModelGroup['kind']));
    }
    case 'any':
      return wildcardOf(set, node, doc);
    default:
      return undefined;
  }
}

/** Groups being opened; one that holds itself would never end (Part 1 §3.8.6, circular groups disallowed). */
const opening = new Set<XmlElement>();

function once<T>(node: XmlElement, open: () => T): T {
  if (opening.has(node))
    throw new HingeError('HNG-116', `the group ${attributeOf(node, 'name')} holds itself`, placeOf(node));
  opening.add(node);
  try {
    return open();
  } finally {
    opening.delete(node);
  }
}

function groupOf(set: Resolver, node: XmlElement, doc: SchemaDocument, kind: ModelGroup['kind']): ModelGroup {
  const particles: Particle[] = [];
  for (const c of node.children) {
    if (c.uri !== XSD) continue;
    const p = particleOf(set, c, doc);
    if (p && p.max > 0) particles.push(p);
  }
  return { kind, particles };
}

function occurs(node: XmlElement, name: 'minOccurs' | 'maxOccurs'): number {
  const text = attributeOf(node, name)?.trim();
  if (text === undefined) return 1;
  if (text === 'unbounded' && name === 'maxOccurs') return Infinity;
  if (!/^\d+$/.test(text)) throw new HingeError('HNG-116', `${name}="${text}" is not a count`, placeOf(node));
  return Number(text);
}

interface OwnAttributes {
  readonly uses: AttributeUse[];
  readonly prohibited: string[];
  readonly any: Wildcard[];
}

function attributesOf(set: Resolver, node: XmlElement, doc: SchemaDocument): OwnAttributes {
  const uses: AttributeUse[] = [];
  const prohibited: string[] = [];
  const any: Wildcard[] = [];
  for (const c of node.children) {
    if (c.uri !== XSD) continue;
    if (c.local === 'anyAttribute') any.push(wildcardOf(set, c, doc));
    else if (c.local === 'attribute') {
      if (attributeOf(c, 'use') === 'prohibited')
        prohibited.push(attributeOf(c, 'name') ?? set.resolveName(c, attributeOf(c, 'ref') ?? '', doc).local);
      else uses.push(attributeUse(set, c, doc));
    } else if (c.local === 'attributeGroup') {
      const found = set.need('attributeGroup', set.resolveName(c, attributeOf(c, 'ref') ?? '', doc), c);
      const inner = once(found.node, () => attributesOf(set, found.node, found.doc));
      uses.push(...inner.uses);
      any.push(...inner.any);
    }
  }
  return { uses, prohibited, any };
}

function attributeUse(set: Resolver, node: XmlElement, doc: SchemaDocument): AttributeUse {
  const ref = attributeOf(node, 'ref');
  const required = attributeOf(node, 'use') === 'required';
  if (ref) {
    const q = set.resolveName(node, ref, doc);
    if (q.uri === 'http://www.w3.org/XML/1998/namespace')
      return { name: q.local, uri: q.uri, required, type: builtinType('string')! };
    if (SOAP_ENCODINGS.has(q.uri) && !set.lookup('attribute', q))
      return { name: q.local, uri: q.uri, required: false, type: builtinType('string')! };
    const found = set.need('attribute', q, node);
    const decl = attributeDecl(set, found.node, found.doc, true);
    return { ...decl, type: withFixed(decl.type, attributeOf(node, 'fixed')), required };
  }
  return { ...attributeDecl(set, node, doc, false), required };
}

export function attributeDecl(
  set: Resolver,
  node: XmlElement,
  doc: SchemaDocument,
  global: boolean,
): Omit<AttributeUse, 'required'> {
  const name = attributeOf(node, 'name');
  if (!name) throw new HingeError('HNG-116', 'an attribute has neither name nor ref', placeOf(node));
  const form = attributeOf(node, 'form');
  const qualified = global || (form ? form === 'qualified' : doc.attributesQualified);
  const named = attributeOf(node, 'type');
  const inline = childOf(node, XSD, 'simpleType');
  let type = builtinType('anySimpleType')!;
  if (named) type = set.simpleType(set.resolveName(node, named, doc), node);
  else if (inline) type = buildSimple(set, inline, doc);
  return {
    name,
    uri: qualified ? doc.targetNamespace : '',
    doc: documentationOf(node),
    type: withFixed(type, attributeOf(node, 'fixed')),
  };
}

function mergeAttributes(inherited: readonly AttributeUse[], own: OwnAttributes): AttributeUse[] {
  const replaced = new Set(own.uses.map((u) => u.name));
  return [...inherited.filter((u) => !replaced.has(u.name) && !own.prohibited.includes(u.name)), ...own.uses];
}

export function buildSimple(set: Resolver, node: XmlElement, doc: SchemaDocument, name?: QName): SimpleType {
  const own = { kind: 'simple' as const, name, doc: documentationOf(node) };
  const restriction = childOf(node, XSD, 'restriction');
  if (restriction) {
    const base = baseOf(set, restriction, doc, 'base');
    return { ...base, ...own, facets: facetsOf(restriction, base.facets) };
  }
  const list = childOf(node, XSD, 'list');
  if (list) {
    const item = baseOf(set, list, doc, 'itemType');
    return { ...own, variety: 'list', builtin: 'anySimpleType', item, facets: { whiteSpace: 'collapse' } };
  }
  const union = childOf(node, XSD, 'union');
  if (union) {
    const members = (attributeOf(union, 'memberTypes') ?? '')
      .split(/\s+/)
      .filter(Boolean)
      .map((m) => set.simpleType(set.resolveName(union, m, doc), union));
    for (const c of union.children)
      if (c.uri === XSD && c.local === 'simpleType') members.push(buildSimple(set, c, doc));
    return { ...own, variety: 'union', builtin: 'anySimpleType', members, facets: { whiteSpace: 'preserve' } };
  }
  throw new HingeError('HNG-116', 'a simple type holds neither restriction, list nor union', placeOf(node));
}

function baseOf(set: Resolver, node: XmlElement, doc: SchemaDocument, attribute: string): SimpleType {
  const named = attributeOf(node, attribute);
  if (named) return set.simpleType(set.resolveName(node, named, doc), node);
  const inline = childOf(node, XSD, 'simpleType');
  if (inline) return buildSimple(set, inline, doc);
  throw new HingeError('HNG-116', `${node.local} names no ${attribute}`, placeOf(node));
}

const COUNTS = ['length', 'minLength', 'maxLength', 'totalDigits', 'fractionDigits'] as const;
const BOUNDS = ['minInclusive', 'maxInclusive', 'minExclusive', 'maxExclusive'] as const;

function facetsOf(node: XmlElement, inherited: Facets): Facets {
  const facets: { -readonly [K in keyof Facets]: Facets[K] } = { ...inherited };
  const enumeration: string[] = [];
  const patterns: string[] = [];
  for (const c of node.children) {
    if (c.uri !== XSD) continue;
    const value = attributeOf(c, 'value');
    if (value === undefined) continue;
    if (c.local === 'enumeration') enumeration.push(value);
    else if (c.local === 'pattern') patterns.push(value);
    else if (c.local === 'whiteSpace') facets.whiteSpace = value as Facets['whiteSpace'];
    else if ((COUNTS as readonly string[]).includes(c.local)) {
      if (!/^\s*\d+\s*$/.test(value))
        throw new HingeError('HNG-116', `${c.local}="${value}" is not a count`, placeOf(c));
      facets[c.local as (typeof COUNTS)[number]] = Number(value);
    } else if ((BOUNDS as readonly string[]).includes(c.local))
      facets[c.local as (typeof BOUNDS)[number]] = value.trim();
  }
  if (enumeration.length) facets.enumeration = enumeration;
  if (patterns.length) {
    const step = patterns.length === 1 ? patterns[0]! : patterns.map((p) => `(${p})`).join('|');
    facets.patterns = [...(inherited.patterns ?? []), step];
  }
  return facets;
}

function isTrue(text: string | undefined): boolean {
  return text === 'true' || text === '1';
}
