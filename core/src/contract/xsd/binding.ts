import { keyOf } from '../../xml';
import type { AttributeUse, ComplexType, ElementDecl, Particle, SimpleType, Term, Type } from './components';

/** One JSON property of a complex type: the meeting of XML and JSON (INTERFACES, "JSON made from XML that has a schema"). */
export type Property = ElementProperty | AttributeProperty | TextProperty;

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

export interface Binding {
  readonly properties: readonly Property[];
  readonly byJson: ReadonlyMap<string, Property>;
  /** By `{namespace}local` of a child element. */
  readonly byElement: ReadonlyMap<string, ElementProperty>;
  readonly byAttribute: ReadonlyMap<string, AttributeProperty>;
  readonly text?: TextProperty;
  readonly particle?: Particle;
  /** Wildcards in the content: what stands there is not carried. */
  readonly open: boolean;
}

const bindings = new WeakMap<Type, Binding>();

export function bindingOf(type: ComplexType): Binding {
  let b = bindings.get(type);
  if (!b) {
    b = makeBinding(type);
    bindings.set(type, b);
  }
  return b;
}

interface Found {
  decl: ElementDecl;
  min: number;
  max: number;
}

function makeBinding(type: ComplexType): Binding {
  const found = new Map<string, Found>();
  let open = false;
  if (type.content.kind === 'elements') open = collect(type.content.particle, 1, 1, found);

  const properties: Property[] = [];
  const byJson = new Map<string, Property>();
  const byElement = new Map<string, ElementProperty>();
  const byAttribute = new Map<string, AttributeProperty>();
  const elementNames = new Set([...found.values()].map((f) => f.decl.name));
  const text: TextProperty | undefined =
    type.content.kind === 'simple' ? { kind: 'text', json: 'value', type: type.content.type } : undefined;

  for (const use of type.attributes) {
    const clash = elementNames.has(use.name) || (text && use.name === 'value') || byJson.has(use.name);
    const p: AttributeProperty = { kind: 'attribute', json: clash ? `${use.name}Attribute` : use.name, use };
    properties.push(p);
    byJson.set(p.json, p);
    byAttribute.set(keyOf(use.uri, use.name), p);
  }
  for (const [key, f] of found) {
    const p = elementProperty(f, free(f.decl.name, byJson));
    properties.push(p);
    byJson.set(p.json, p);
    byElement.set(key, p);
  }
  if (text) {
    properties.push(text);
    byJson.set('value', text);
  }
  return {
    properties,
    byJson,
    byElement,
    byAttribute,
    text,
    particle: type.content.kind === 'elements' ? type.content.particle : undefined,
    open,
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
    type.anyAttribute ||
    type.abstract
  )
    return undefined;
  const b = bindingOf(type);
  const only = b.properties[0];
  if (b.open || b.properties.length !== 1 || only?.kind !== 'element' || !only.many) return undefined;
  return only;
}

function free(name: string, taken: ReadonlyMap<string, unknown>): string {
  if (!taken.has(name)) return name;
  let n = 2;
  while (taken.has(`${name}_${n}`)) n++;
  return `${name}_${n}`;
}

/** Walks the content model. Occurrences multiply down, add up in sequence, and in a choice the least and the most count. */
function collect(p: Particle, min: number, max: number, found: Map<string, Found>): boolean {
  const lo = min * p.min;
  const hi = p.max === 0 || max === 0 ? 0 : max * p.max;
  const term: Term = p.term;
  if (term.kind === 'any') return true;
  if (term.kind === 'element') {
    const key = keyOf(term.uri, term.name);
    const have = found.get(key);
    if (have) {
      have.min += lo;
      have.max += hi;
    } else found.set(key, { decl: term, min: lo, max: hi });
    return false;
  }
  let open = false;
  if (term.kind !== 'choice') {
    for (const inner of term.particles) open = collect(inner, lo, hi, found) || open;
    return open;
  }
  // Branches are apart: a name that two branches share counts once for each way, so the larger of both, and is required only if all have it.
  const branches = term.particles.map((inner) => {
    const own = new Map<string, Found>();
    open = collect(inner, lo, hi, own) || open;
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
  return open;
}
