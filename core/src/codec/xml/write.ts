import {
  bindingOf,
  isPolymorphic,
  orderOf,
  TYPE_PROPERTY,
  variantsOf,
  XSD,
  XSI,
  type Binding,
  type ComplexType,
  type ElementDecl,
  type ElementProperty,
  type SimpleType,
  type Type,
  type Variant,
  type Wildcard,
} from '../../contract/xsd';
import { escapeText } from '../../xml';
import { writeModel } from './content';
import type { ShapeFault } from './faults';
import { anyTypeWriter, writeAttribute, writeStrangers, XmlOut } from './out';
import { isObject } from '../../message/objects';
import { readElement } from './read';
import { Misfit, show, simpleCodec, type SimpleCodec } from './simple';
import { writeOpenAttributes } from './open-attributes';
import { writeAny, writeOneAny } from './wildcards';

/** XML of one element. With faults, which carry RFC 6901 pointers, the text must not be sent. */
export interface WrittenElement {
  readonly text: string;
  readonly faults: readonly ShapeFault[];
}

/**
 * The content of a message element as XML, in the order, namespace and form that the schema demands: properties of the object are its
 * children; simple content stands in `value`. `base` is the pointer of the value.
 */
export function writeMessageElement(decl: ElementDecl, content: unknown, base = ''): WrittenElement {
  const w = new XmlOut(base);
  const value = content === undefined ? {} : content;
  if (decl.type.kind !== 'simple') return written(decl, value, w);
  if (!isObject(value)) {
    w.tell('type', `${show(value)} is not an object`);
    return { text: '', faults: w.faults };
  }
  for (const key of Object.keys(value))
    if (key !== 'value' && value[key] !== undefined) w.tell('unknown', `the property ${key} is not known here`, key);
  if (value.value === undefined) {
    w.tell('missing', 'value is missing', 'value');
    return { text: '', faults: w.faults };
  }
  w.enter('value');
  return written(decl, value.value, w);
}

/** One element with its value, as it stands inside another. */
export function writeOneElement(decl: ElementDecl, value: unknown, base = ''): WrittenElement {
  return written(decl, value, new XmlOut(base));
}

function written(decl: ElementDecl, value: unknown, w: XmlOut): WrittenElement {
  writeElement(decl, value, w);
  return { text: w.finish(), faults: w.faults };
}

/** Writes what stands behind `<tag`: attributes, `>` and the content, and returns true; or `/>` and returns false. */
type TypeWriter = (value: unknown, w: XmlOut) => boolean;

const writers = new WeakMap<Type, TypeWriter>();

function writerFor(type: Type): TypeWriter {
  let t = writers.get(type);
  if (!t) {
    t = type.kind === 'simple' ? simpleWriter(type) : complexWriter(type);
    writers.set(type, t);
  }
  return t;
}

/** What is known of an element before any value comes; tags are kept for the prefix that they were last written with. */
interface Plan {
  readonly open: boolean;
  readonly leaf: SimpleCodec | undefined;
  readonly write: TypeWriter;
  prefix: string | undefined;
  tag: string;
  start: string;
  end: string;
}

const plans = new WeakMap<ElementDecl, Plan>();

function planFor(decl: ElementDecl): Plan {
  let plan = plans.get(decl);
  if (!plan) {
    const type = decl.type;
    const open = isPolymorphic(decl) || isAnyType(type) || decl.abstract || (type.kind === 'complex' && type.abstract);
    const leaf = !open && type.kind === 'simple' ? simpleCodec(type) : undefined;
    plan = { open, leaf, write: writerFor(type), prefix: undefined, tag: '', start: '', end: '' };
    plans.set(decl, plan);
  }
  return plan;
}

function setTags(plan: Plan, decl: ElementDecl, prefix: string): void {
  plan.prefix = prefix;
  plan.tag = prefix === '' ? decl.name : `${prefix}:${decl.name}`;
  plan.start = `<${plan.tag}`;
  plan.end = `</${plan.tag}>`;
}

/** One element with its value. */
export function writeElement(decl: ElementDecl, value: unknown, w: XmlOut): void {
  writePlanned(planFor(decl), decl, value, w);
}

function writePlanned(plan: Plan, decl: ElementDecl, value: unknown, w: XmlOut): void {
  if (plan.open || value === null) {
    writeOpen(decl, value, w);
    return;
  }
  const prefix = w.prefixOf(decl.uri);
  if (plan.prefix !== prefix) setTags(plan, decl, prefix);
  const { start, end } = plan;
  if (plan.leaf) {
    const text = plan.leaf.write(value);
    if (text instanceof Misfit) w.tell('type', text.words);
    else w.out += `${start}>${escapeText(text)}${end}`;
    return;
  }
  w.out += start;
  if (plan.write(value, w)) w.out += end;
}

/** One element with what its declaration says of null and variants. */
function writeOpen(decl: ElementDecl, value: unknown, w: XmlOut): void {
  let actual = decl;
  let type = decl.type;
  let content = value;
  let named: Type | undefined;
  if (value !== null && typeof value === 'object' && (isPolymorphic(decl) || isAnyType(type))) {
    const label = (value as Record<string, unknown>)[TYPE_PROPERTY];
    if (label !== undefined) {
      const variant = variantFor(decl, label, w);
      if (!variant) return;
      actual = variant.decl;
      type = variant.content;
      named = type === actual.type ? undefined : type;
      const { [TYPE_PROPERTY]: _label, ...rest } = value as Record<string, unknown>;
      content = type.kind === 'simple' || isAnyType(type) ? rest.value : rest;
    }
  }
  if (actual.abstract || (type.kind === 'complex' && type.abstract)) {
    const names = variantsOf(decl).map((v) => v.type);
    w.tell(
      'missing',
      names.length
        ? `${decl.name} is abstract: ${TYPE_PROPERTY} must be one of ${names.join(', ')}`
        : `${decl.name} is abstract and nothing can stand for it`,
      TYPE_PROPERTY,
    );
    return;
  }
  const tag = w.tagOf(actual.uri, actual.name);
  w.out += `<${tag}`;
  if (named) w.out += ` ${w.prefixOf(XSI)}:type="${w.tagOf(named.name!.uri, named.name!.local)}"`;
  if (content === null && !isAnyType(type)) {
    if (!actual.nillable) w.tell('type', `${actual.name} may not be null`);
    // Part 1 §3.3.4: a nil element has no content, but it keeps its attributes; null has none to give.
    const needed = type.kind === 'complex' && type.attributes.find((a) => a.required);
    if (needed) w.tell('type', `${actual.name} may not be null here: its attribute ${needed.name} is required`);
    w.out += ` ${w.prefixOf(XSI)}:nil="true"/>`;
    return;
  }
  if (writerFor(type)(content, w)) w.out += `</${tag}>`;
}

const isAnyType = (type: Type): boolean => type.kind === 'complex' && type.name?.uri === XSD;

function variantFor(decl: ElementDecl, label: unknown, w: XmlOut): Variant | undefined {
  const variants = variantsOf(decl);
  const own = decl.type.name?.local;
  const found =
    variants.find((v) => v.type === label) ??
    (label === decl.name || label === own ? variants.find((v) => v.type === undefined) : undefined);
  if (found) return found;
  if (isAnyType(decl.type) && typeof label === 'string') {
    const type = decl.schemas?.typesCalled(label)[0];
    if (type) return { type: label, decl, content: type };
  }
  const names = variants.map((v) => v.type ?? own ?? decl.name);
  w.tell('type', `${show(label)} is none of ${names.slice(0, 20).join(', ')}`, TYPE_PROPERTY);
  return undefined;
}

function simpleWriter(type: SimpleType): TypeWriter {
  const codec = simpleCodec(type);
  return (value, w) => {
    const text = codec.write(value);
    if (text instanceof Misfit) {
      w.tell('type', text.words);
      w.out += '>';
    } else w.out += `>${escapeText(text)}`;
    return true;
  };
}

function complexWriter(type: ComplexType): TypeWriter {
  if (isAnyType(type)) return anyTypeWriter;
  const b = bindingOf(type);
  const attributes = [...b.byAttribute.values()];
  const content = b.text
    ? textWriter(b.text.type)
    : b.mixed
      ? mixedWriter(b)
      : b.particle
        ? elementsWriter(type, b)
        : undefined;
  return (value, w) => {
    if (!isObject(value)) {
      w.tell('type', `${show(value)} is not an object`);
      w.out += '/>';
      return false;
    }
    for (const p of attributes) writeAttribute(p, value[p.json], w);
    if (b.anyAttribute.length && value.$attributes !== undefined)
      writeOpenAttributes(value.$attributes, w, b.anyAttribute);
    const more = writeStrangers(value, b, w);
    if (!content && !more) {
      w.out += '/>';
      return false;
    }
    if (content && !more && !b.text && isEmpty(value, b)) {
      w.out += '/>';
      // Nothing is written, but what is missing must be told.
      const before = w.out;
      content(value, w);
      w.out = before;
      return false;
    }
    w.out += '>';
    content?.(value, w);
    w.out += more;
    return true;
  };
}

/** No member that would become content: an empty-element tag says it. */
function isEmpty(value: Record<string, unknown>, b: Binding): boolean {
  for (const p of b.properties) {
    if (p.kind === 'attribute' || p.kind === 'attributes') continue;
    const v = value[p.json];
    if (v === undefined) continue;
    if (!Array.isArray(v) || v.length > 0 || (p.kind === 'element' && !p.many)) return false;
  }
  return true;
}

type ContentWriter = (value: Record<string, unknown>, w: XmlOut) => void;

function textWriter(type: SimpleType): ContentWriter {
  const codec = simpleCodec(type);
  return (value, w) => {
    if (value.value === undefined) {
      w.tell('missing', 'value is missing', 'value');
      return;
    }
    const text = codec.write(value.value);
    if (text instanceof Misfit) w.tell('type', text.words, 'value');
    else w.out += escapeText(text);
  };
}

function mixedWriter(b: Binding): ContentWriter {
  const byName = new Map([...b.byElement.values()].map((p) => [p.json, p]));
  return (value, w) => {
    const list = value.$mixed ?? [];
    if (!Array.isArray(list)) {
      w.tell('type', `${show(list)} is not a list`, '$mixed');
      return;
    }
    w.enter('$mixed');
    list.forEach((item: unknown, i) => {
      w.enter(i);
      const name = isObject(item) ? Object.keys(item)[0] : undefined;
      if (typeof item === 'string') w.out += escapeText(item);
      else if (!isObject(item) || name === undefined || Object.keys(item).length !== 1)
        w.tell('type', `${show(item)} is neither text nor an object of one member`);
      else if (name === '$any' && b.wildcards.length) writeOneAny(item.$any, '/$any', w, b.wildcards, readElement);
      else {
        const p = byName.get(name);
        w.enter(name);
        if (!p) w.tell('unknown', `the element ${name} is not known here`);
        else writeOccurrence(p, item[name], w);
        w.leave();
      }
      w.leave();
    });
    w.leave();
  };
}

/** One element of a property: a wrapper with its list, or the element itself. */
export function writeOccurrence(p: ElementProperty, value: unknown, w: XmlOut): void {
  const item = p.wrapped;
  if (!item) {
    writeElement(p.decl, value, w);
    return;
  }
  if (!Array.isArray(value)) {
    w.tell('type', `${show(value)} is not a list`);
    return;
  }
  if (value.length < item.min) w.tell('missing', `at least ${item.min} of ${item.decl.name} are needed`);
  if (value.length > item.max) w.tell('type', `at most ${item.max} of ${item.decl.name} may stand here`);
  const tag = w.tagOf(p.decl.uri, p.decl.name);
  w.out += `<${tag}>`;
  for (let i = 0; i < value.length; i++) {
    w.enter(i);
    writeElement(item.decl, value[i], w);
    w.leave();
  }
  w.out += `</${tag}>`;
}

function elementsWriter(type: ComplexType, b: Binding): ContentWriter {
  let run: ContentWriter | undefined;
  return (value, w) => {
    if (!run) {
      const order = orderOf(type);
      run =
        order.kind === 'flat'
          ? flatWriter([...order.index.keys()], b.wildcards)
          : (v, x) => writeModel(b, v, x, writeOccurrence);
    }
    run(value, w);
  };
}

/** A plain sequence: one property after the other. */
function flatWriter(
  sequence: readonly (ElementProperty | 'wildcard')[],
  wildcards: readonly Wildcard[],
): ContentWriter {
  const wrapped = sequence.map((p) => p !== 'wildcard' && p.wrapped !== undefined);
  const plan = sequence.map((p) => (p === 'wildcard' || p.wrapped ? undefined : planFor(p.decl)));
  return (object, w) => {
    for (let k = 0; k < sequence.length; k++) {
      const p = sequence[k]!;
      if (p === 'wildcard') {
        const items = object.$any;
        if (Array.isArray(items)) writeAny(items, 0, items.length, w, wildcards, readElement);
        else if (items !== undefined) w.tell('type', `${show(items)} is not a list`, '$any');
        continue;
      }
      const value = object[p.json];
      if (!p.many) {
        if (value === undefined) {
          if (p.min > 0) w.tell('missing', `${p.json} is missing`, p.json);
          continue;
        }
        w.enter(p.json);
        if (wrapped[k]) writeOccurrence(p, value, w);
        else writePlanned(plan[k]!, p.decl, value, w);
        w.leave();
        continue;
      }
      if (value === undefined) {
        if (p.min > 0) w.tell('missing', `${p.json} is missing`, p.json);
        continue;
      }
      if (!Array.isArray(value)) {
        w.tell('type', `${show(value)} is not a list`, p.json);
        continue;
      }
      if (value.length < p.min)
        w.tell('missing', value.length ? `at least ${p.min} of ${p.json} are needed` : `${p.json} is missing`, p.json);
      else if (value.length > p.max) w.tell('type', `at most ${p.max} of ${p.json} may stand here`, p.json);
      w.enter(p.json);
      for (let i = 0; i < value.length; i++) {
        w.enter(i);
        writePlanned(plan[k]!, p.decl, value[i], w);
        w.leave();
        w.rest();
      }
      w.leave();
    }
  };
}
