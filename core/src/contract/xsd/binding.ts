import { keyOf } from '../../xml';
import type { AttributeUse, ComplexType, ElementDecl, Particle, SimpleType, Term, Type, Wildcard } from './components';

/** One JSON property of a complex type: the meeting of XML and JSON (INTERFACES, "JSON made from XML that has a schema"). */
export type Property = ElementProperty | AttributeProperty | TextProperty | OpenProperty;

export interface ElementProperty {
  readonly kind: 'element';
  readonly json: string;
  readonly decl: ElementDecl;
  /** May occur more than once: always an array in JSON. */
  readonly many: boolean;
  /** Least number of occurrences over every way through the content model. */
  readonly min: number;
  readonly max: number;
  /** The repeating element inside, where the element is a mere wrapper and becomes the array itself. */
  readonly wrapped?: ElementProperty;
}

export interface AttributeProperty {
  readonly kind: 'attribute';
  readonly json: string;
  readonly use: AttributeUse;
}

export interface TextProperty {
  readonly kind: 'text';
  readonly json: 'value';
  readonly type: SimpleType;
}

/**
 * What the schema leaves open, under names that no element can have: `$any` for elements of a wildcard, `$attributes` for attributes of
 * one, `$mixed` for content where text and elements follow each other.
 */
export interface OpenProperty {
  readonly kind: 'any' | 'attributes' | 'mixed';
  readonly json: '$any' | '$attributes' | '$mixed';
}

/** Says which type or which substitute stands there (xsi:type, substitution groups). */
export const TYPE_PROPERTY = '$type';

export interface Binding {
  readonly properties: readonly Property[];
  readonly byJson: ReadonlyMap<string, Property>;
  /** By `{namespace}local` of a child element. */
  readonly byElement: ReadonlyMap<string, ElementProperty>;
  readonly byAttribute: ReadonlyMap<string, AttributeProperty>;
  readonly text?: TextProperty;
  readonly particle?: Particle;
  /** Wildcards in the content, in order. */
  readonly wildcards: readonly Wildcard[];
  readonly mixed: boolean;
  readonly open: boolean;
  readonly anyAttribute: readonly Wildcard[];
}

export function bindingOf(type: ComplexType): Binding {
  return (type.binding ??= makeBinding(type)) as Binding;
}

interface Found {
  decl: ElementDecl;
  min: number;
  max: number;
}

function makeBinding(type: ComplexType): Binding {
  const found = new Map<string, Found>();
  const wildcards: Wildcard[] = [];
  const particle = type.content.kind === 'elements' ? type.content.particle : undefined;
  if (particle) collect(particle, 1, 1, found, wildcards);

  const properties: Property[] = [];
  const byJson = new Map<string, Property>();
  const byElement = new Map<string, ElementProperty>();
  const byAttribute = new Map<string, AttributeProperty>();
  const elementNames = new Set<string>();
  if (type.attributes.length) for (const f of found.values()) elementNames.add(f.decl.json ?? f.decl.name);
  const text: TextProperty | undefined =
    type.content.kind === 'simple' ? { kind: 'text', json: 'value', type: type.content.type } : undefined;
  const add = (p: Property) => {
    properties.push(p);
    byJson.set(p.json, p);
  };

  for (const use of type.attributes) {
    const name = use.json ?? use.name;
    const clash = elementNames.has(name) || (text && name === 'value') || byJson.has(name);
    const p: AttributeProperty = { kind: 'attribute', json: clash ? `${name}Attribute` : name, use };
    add(p);
    byAttribute.set(keyOf(use.uri, use.name), p);
  }
  // Mixed content keeps the order of text and elements in one list; the elements' properties are the names inside of it.
  const mixed = type.mixed && !text;
  const names = mixed ? new Map<string, Property>(byJson) : byJson;
  for (const [key, f] of found) {
    const p = elementProperty(f, free(f.decl.json ?? f.decl.name, names));
    byElement.set(key, p);
    if (mixed) names.set(p.json, p);
    else add(p);
  }
  if (text) add(text);
  if (mixed) add({ kind: 'mixed', json: '$mixed' });
  else if (wildcards.length) add({ kind: 'any', json: '$any' });
  if (type.anyAttribute.length) add({ kind: 'attributes', json: '$attributes' });
  return {
    properties,
    byJson,
    byElement,
    byAttribute,
    text,
    particle,
    wildcards,
    mixed,
    open: type.open === true,
    anyAttribute: type.anyAttribute,
  };
}

function elementProperty(f: Found, json: string): ElementProperty {
  let inner: ElementProperty | undefined | null = null;
  return {
    kind: 'element',
    json,
    decl: f.decl,
    many: f.max > 1,
    min: f.min,
    max: f.max,
    // Lazy: looking into the element's type while its parent is being bound would never end for recursive types.
    get wrapped() {
      if (inner === null) inner = f.max > 1 ? undefined : wrappedItem(f.decl);
      return inner;
    },
  };
}

/** The one repeating element of a type that holds nothing else; the wrapper itself must not be nillable (null and [] differ). */
function wrappedItem(decl: ElementDecl): ElementProperty | undefined {
  const type = decl.type;
  if (
    decl.nillable ||
    type.kind !== 'complex' ||
    type.mixed ||
    type.attributes.length ||
    type.anyAttribute.length > 0 ||
    type.abstract ||
    type.derived?.length ||
    decl.substitutes?.length
  )
    return undefined;
  const b = bindingOf(type);
  const only = b.properties[0];
  if (b.wildcards.length || b.properties.length !== 1 || only?.kind !== 'element' || !only.many) return undefined;
  return only;
}

function free(name: string, taken: ReadonlyMap<string, unknown>): string {
  if (!taken.has(name)) return name;
  let n = 2;
  while (taken.has(`${name}_${n}`)) n++;
  return `${name}_${n}`;
}

/** Walks the content model. Occurrences multiply down, add up in sequence, and in a choice the least and the most count. */
function collect(p: Particle, min: number, max: number, found: Map<string, Found>, wildcards: Wildcard[]): void {
  const lo = min * p.min;
  const hi = p.max === 0 || max === 0 ? 0 : max * p.max;
  const term: Term = p.term;
  if (term.kind === 'any') {
    wildcards.push(term);
    return;
  }
  if (term.kind === 'element') {
    const key = keyOf(term.uri, term.name);
    const have = found.get(key);
    if (have) {
      have.min += lo;
      have.max += hi;
    } else found.set(key, { decl: term, min: lo, max: hi });
    return;
  }
  if (term.kind !== 'choice') {
    for (const inner of term.particles) collect(inner, lo, hi, found, wildcards);
    return;
  }
  // Branches are apart: a name that two branches share counts once for each way, so the larger of both, and is required only if all have it.
  const branches = term.particles.map((inner) => {
    const own = new Map<string, Found>();
    collect(inner, lo, hi, own, wildcards);
    return own;
  });
  const names = new Set(branches.flatMap((b) => [...b.keys()]));
  for (const key of names) {
    const ways = branches.map((b) => b.get(key));
    const first = ways.find((w) => w !== undefined)!;
    const least = Math.min(...ways.map((w) => w?.min ?? 0));
    const most = Math.max(...ways.map((w) => w?.max ?? 0));
    const have = found.get(key);
    if (have) {
      have.min += least;
      have.max += most;
    } else found.set(key, { decl: first.decl, min: least, max: most });
  }
}

/** One thing that may stand where an element is declared: the element or a substitute, with the name that `$type` gives it. */
export interface Variant {
  /** Value of `$type`; absent for the element as it is declared. */
  readonly type?: string;
  readonly decl: ElementDecl;
  /** Type of the content: the element's own, or a type derived from it, which xsi:type then names. */
  readonly content: Type;
}

/** Every variant of a declaration, itself first where it is not abstract. One entry: nothing needs a name. */
export function variantsOf(decl: ElementDecl): readonly Variant[] {
  return (decl.variants ??= makeVariants(decl)) as readonly Variant[];
}

function makeVariants(decl: ElementDecl): Variant[] {
  const { type } = decl;
  // Nearly every declaration: nothing may stand for it.
  if (
    !decl.substitutes?.length &&
    !decl.abstract &&
    (type.kind === 'simple' || !(type.abstract || type.derived?.length))
  )
    return [{ type: undefined, decl, content: type }];
  const out: Variant[] = [];
  const taken = new Set<string>();
  const addTypes = (d: ElementDecl, own: string | undefined) => {
    const type = d.type;
    if (!d.abstract && !(type.kind === 'complex' && type.abstract)) out.push({ type: own, decl: d, content: type });
    for (const t of (type.kind === 'complex' && type.derived) || []) {
      const local = t.name!.local;
      const name = own === undefined && !taken.has(local) ? local : `${own ?? d.name}/${local}`;
      if (taken.has(name)) continue;
      taken.add(name);
      if (!d.abstract) out.push({ type: name, decl: d, content: t });
    }
  };
  for (const s of decl.substitutes ?? []) taken.add(s.name);
  addTypes(decl, undefined);
  for (const s of decl.substitutes ?? []) addTypes(s, s.name);
  return out;
}

/** True where `$type` may stand in the value. */
export const isPolymorphic = (decl: ElementDecl): boolean => {
  const v = variantsOf(decl);
  return v.length > 1 || v[0]?.type !== undefined;
};
