import {
  allows,
  bindingOf,
  orderOf,
  TYPE_PROPERTY,
  XSD,
  XSI,
  type Binding,
  type ComplexType,
  type ElementDecl,
  type ElementProperty,
  type Order,
  type SimpleType,
  type Type,
} from '../../contract/xsd';
import { CLOSE, isSpace, TEXT, type XmlScanner } from '../../xml';
import { plainObjects, setMember } from '../../message/objects';
import { PLAIN, readPlain } from './plain';
import {
  addItem,
  addLeaf,
  advance,
  attributeReader,
  checkCount,
  endsEarly,
  foreignAttributes,
  listOf,
  readStranger,
  strayElement,
  valueOf,
  type AttributeReader,
  type ReadContext,
} from './read-parts';
import { simpleCodec, type SimpleCodec } from './simple';
import { BITS, guessOf, slotFor, slotsOf, type Guess, type Slot, type Slots } from './slots';
import { namedType } from './named-type';
import { readAny } from './wildcards';

/** Reads the content of the element that the scanner has just opened, and past its end. */
type TypeReader = (s: XmlScanner, c: ReadContext, label: string | undefined) => unknown;

const readers = new WeakMap<Type, TypeReader>();

function readerFor(type: Type): TypeReader {
  let r = readers.get(type);
  if (!r) {
    r = type.kind === 'simple' ? simpleReader(type) : complexReader(type);
    readers.set(type, r);
  }
  return r;
}

/**
 * The element just opened as the JSON of its declaration. As the root of a message simple content stands in `value`, so that the
 * result is an object.
 */
export function readMessageElement(decl: ElementDecl, s: XmlScanner, c: ReadContext): unknown {
  const value = readElement(decl, decl, undefined, s, c);
  return decl.type.kind === 'simple' && value !== null ? { value } : value;
}

/** `actual` is the declared element or the substitute that stands there, which `member` then names. */
export function readElement(
  declared: ElementDecl,
  actual: ElementDecl,
  member: string | undefined,
  s: XmlScanner,
  c: ReadContext,
): unknown {
  let type = actual.type;
  let label = member;
  if (s.attributeCount > 0) {
    let named: string | undefined;
    for (let k = 0; k < s.attributeCount; k++) {
      const a = s.attributeName[k]!;
      if (a.uri !== XSI || a.prefix === '') continue;
      const value = s.attributeValue[k]!.trim();
      if (a.local === 'nil' && (value === 'true' || value === '1') && actual.nillable) {
        s.skip();
        return null;
      }
      if (a.local === 'type') named = value;
    }
    if (named !== undefined && type.kind === 'complex') {
      const said = namedType(named, declared, actual, type, s, c);
      if (said) {
        type = said.type;
        label = said.label ?? label;
      }
    }
  }
  if (actual.fallback !== undefined && type.kind === 'simple') {
    const text = s.simpleContent();
    if (text === undefined) return strayElement(s, c);
    const value = valueOf(simpleCodec(type), text === '' ? actual.fallback : text, c);
    return label === undefined ? value : { [TYPE_PROPERTY]: label, value };
  }
  if (type.kind === 'complex' && type.abstract && !c.lenient)
    c.tell('type', `the type of ${actual.name} is abstract; xsi:type must say which type stands there`);
  return readerFor(type)(s, c, label);
}

function simpleReader(type: SimpleType): TypeReader {
  const codec = simpleCodec(type);
  return (s, c, label) => {
    if (s.attributeCount > 0) foreignAttributes(s, c);
    const text = s.simpleContent();
    const value = text === undefined ? strayElement(s, c) : valueOf(codec, text, c);
    return label === undefined ? value : { [TYPE_PROPERTY]: label, value };
  };
}

function readLeaf(codec: SimpleCodec, s: XmlScanner, c: ReadContext): unknown {
  const text = s.simpleContent();
  return text === undefined ? strayElement(s, c) : valueOf(codec, text, c);
}

function complexReader(type: ComplexType): TypeReader {
  if (type.name?.uri === XSD) return anyTypeReader;
  const b = bindingOf(type);
  const attributes = attributeReader(b);
  if (b.text) {
    const codec = simpleCodec(b.text.type);
    return (s, c, label) => {
      const object: Record<string, unknown> = label === undefined ? {} : { [TYPE_PROPERTY]: label };
      attributes(object, s, c);
      const text = s.simpleContent();
      object.value = text === undefined ? strayElement(s, c) : valueOf(codec, text, c, 'value');
      return object;
    };
  }
  if (b.mixed) return mixedReader(b, attributes);
  return elementsReader(type, b, attributes);
}

/** xs:anyType: the default form of XML without a schema. */
const anyTypeReader: TypeReader = (s, _c, label) => {
  const value = readPlain(s, PLAIN);
  return label === undefined ? value : { [TYPE_PROPERTY]: label, value };
};

function elementsReader(type: ComplexType, b: Binding, attributes: AttributeReader): TypeReader {
  let slots: Slots | undefined;
  let first: Guess | undefined;
  let order: Order | undefined;
  const properties = [...b.byElement.values()];
  const lists = properties.filter((p) => p.many && p.decl.sparse !== true);
  const counted = properties.filter((p) => p.min > 0 || (p.many && p.max !== Infinity));
  // That one stood is all that most of them need.
  const few = properties.length <= BITS;
  const once = (p: ElementProperty) => few && p.min === 1 && (p.many ? p.max === Infinity : p.max >= 1);
  const bitsOf = (some: readonly ElementProperty[]) => some.reduce((bits, p) => bits | (1 << properties.indexOf(p)), 0);
  const needed = few ? bitsOf(counted.filter(once)) : 0;
  const listBits = few ? bitsOf(lists) : 0;
  const others = counted.filter((p) => !once(p));
  const noAttributes = b.byAttribute.size === 0;
  const Plain = plainObjects();

  return (s, c, label) => {
    order ??= orderOf(type);
    slots ??= slotsOf(b, order);
    const object = new Plain();
    if (label !== undefined) object[TYPE_PROPERTY] = label;
    if (s.attributeCount > 0 || !noAttributes) attributes(object, s, c);
    let reached = -1;
    let state = order.kind === 'automaton' ? 0 : -1;
    let orderly = !c.lenient;
    let found = false;
    let last: Slot | undefined;
    // Bits of the elements that stood; of no use where they do not fit, or where something else may have their names.
    let seen = 0;
    let sure = few;
    let list: unknown[] = NONE;
    let listed: Slot | undefined;
    for (;;) {
      // A leaf where one stood before: no event, no look-up. What is out of order takes the long way, which says so.
      const guess = state >= 0 ? undefined : last === undefined ? first : last.after;
      // A prefix may mean another namespace by now.
      if (guess !== undefined && guess.slot.index >= reached && guess.name.uri === guess.slot.uri) {
        const text = s.leaf(guess.name);
        if (text !== undefined) {
          last = guess.slot;
          found = true;
          reached = last.index;
          const { bit } = last;
          if (last.many) {
            list = addItem(object, guess.slot, text, c, listed === last ? list : undefined);
            listed = last;
          } else addLeaf(object, guess.slot, text, c, sure && (seen & bit) === 0);
          seen |= bit;
          continue;
        }
      }
      const event = s.next();
      if (event === CLOSE) break;
      if (event === TEXT) {
        if (!c.lenient && !isSpace(s.chars)) c.tell('type', 'text stands where only elements may stand');
        continue;
      }
      const { name } = s;
      const { local, uri } = name;
      const slot = slotFor(slots, local, uri);
      if (slot === undefined) {
        const wild = b.wildcards.length > 0 ? b.wildcards.find((w) => allows(w, uri)) : undefined;
        if (wild && state >= 0 && orderly) state = advance(order, state, 'wildcard', local, c);
        if (wild) {
          const list = (object.$any ??= []) as unknown[];
          list.push(readAny(s, wild, c, readElement, '$any', list.length));
        } else readStranger(object, b.open, s, c);
        sure = false;
        continue;
      }
      found = true;
      if (s.attributeCount === 0) {
        const met = guessOf(slot, name);
        if (last === undefined) first = met;
        else last.after = met;
      }
      last = slot;
      const { json } = slot;
      if (orderly) {
        if (state >= 0) {
          state = advance(order, state, slot.property, local, c, json);
          if (state < 0) orderly = false;
        } else if (slot.index >= 0) {
          if (slot.index < reached) {
            c.tell(
              'order',
              `the element ${local} stands too late: what follows it in the contract came before it`,
              json,
            );
            orderly = false;
          } else reached = slot.index;
        }
      }
      const fresh = sure && (seen & slot.bit) === 0;
      seen |= slot.bit;
      if (slot.many) {
        if (listed !== slot) {
          const have = fresh ? undefined : listOf(object, json);
          list = have ?? [];
          if (have === undefined) setMember(object, json, list);
          listed = slot;
        }
        c.enter(json);
        c.enter(list.length);
        if (slot.leaf !== undefined && s.attributeCount === 0) list.push(readLeaf(slot.leaf, s, c));
        else if (slot.plain) list.push(readSlot(slot, s, c));
        else list.push(readElement(slot.property.decl, slot.decl, slot.member, s, c));
        c.leave();
        c.leave();
        continue;
      }
      c.enter(json);
      if (!fresh && object[json] !== undefined && Object.hasOwn(object, json))
        c.tell('type', `the element ${local} occurs more than once`);
      const value =
        slot.leaf !== undefined && s.attributeCount === 0
          ? readLeaf(slot.leaf, s, c)
          : slot.plain
            ? readSlot(slot, s, c)
            : slot.wrapped
              ? readWrapped(slot.wrapped, s, c)
              : readElement(slot.property.decl, slot.decl, slot.member, s, c);
      c.leave();
      setMember(object, json, value);
    }
    if (!sure || (seen & listBits) !== listBits)
      for (const p of lists) if (object[p.json] === undefined) setMember(object, p.json, []);
    const before = c.faults.length;
    for (const p of sure && (seen & needed) === needed ? others : counted) checkCount(p, object[p.json], c);
    if (
      state >= 0 &&
      orderly &&
      before === c.faults.length &&
      order.kind === 'automaton' &&
      !order.states[state]!.final
    )
      endsEarly(order.states[state]!.next.keys(), found, c);
    return object;
  };
}

const NONE: unknown[] = [];

/** The element just opened, which is what its slot says. */
function readSlot(slot: Slot, s: XmlScanner, c: ReadContext): unknown {
  let direct = slot.direct;
  for (let k = 0; k < s.attributeCount; k++) {
    const a = s.attributeName[k]!;
    if (a.prefix === '' || a.uri !== XSI) continue;
    if (s.attributeCount === 1 && slot.nillable && a.local === 'nil' && s.attributeValue[k] === 'true') {
      s.skip();
      return null;
    }
    direct = false;
  }
  if (!direct) return readElement(slot.decl, slot.decl, undefined, s, c);
  return (slot.reader ??= readerFor(slot.decl.type))(s, c, undefined);
}

/** A wrapper whose JSON is the list inside it. */
function readWrapped(item: ElementProperty, s: XmlScanner, c: ReadContext): unknown[] {
  const list: unknown[] = [];
  const { decl } = item;
  if (s.attributeCount > 0) foreignAttributes(s, c);
  for (;;) {
    const event = s.next();
    if (event === CLOSE) break;
    if (event === TEXT) {
      if (!c.lenient && !isSpace(s.chars)) c.tell('type', 'text stands where only elements may stand');
      continue;
    }
    const { local, uri } = s.name;
    const own = local === decl.name && uri === decl.uri && !decl.abstract;
    const member = own ? undefined : decl.substitutes?.find((d) => d.name === local && d.uri === uri);
    if (!own && !member) {
      c.unknown(`the element ${local} is not known here`);
      s.skip();
      continue;
    }
    c.enter(list.length);
    list.push(readElement(decl, member ?? decl, member?.name, s, c));
    c.leave();
  }
  if (list.length < item.min)
    c.tell('missing', `${decl.name} occurs ${list.length} times, at least ${item.min} are needed`);
  else if (list.length > item.max) c.tell('type', `${decl.name} occurs ${list.length} times, at most ${item.max} may`);
  return list;
}

/** Text and elements as one list in the order they have: strings, and objects of one member for elements. */
function mixedReader(b: Binding, attributes: AttributeReader): TypeReader {
  let slots: Slots | undefined;
  return (s, c, label) => {
    slots ??= slotsOf(b, { kind: 'free' });
    const object: Record<string, unknown> = label === undefined ? {} : { [TYPE_PROPERTY]: label };
    attributes(object, s, c);
    const list: unknown[] = [];
    const counts = new Map<ElementProperty, number>();
    object.$mixed = list;
    c.enter('$mixed');
    for (;;) {
      const event = s.next();
      if (event === CLOSE) break;
      if (event === TEXT) {
        const last = list.length - 1;
        if (typeof list[last] === 'string') list[last] += s.chars;
        else list.push(s.chars);
        continue;
      }
      const { local, uri } = s.name;
      const slot = slotFor(slots, local, uri);
      c.enter(list.length);
      if (slot) {
        counts.set(slot.property, (counts.get(slot.property) ?? 0) + 1);
        c.enter(slot.json);
        const value = slot.wrapped
          ? readWrapped(slot.wrapped, s, c)
          : readElement(slot.property.decl, slot.decl, slot.member, s, c);
        c.leave();
        const item: Record<string, unknown> = {};
        setMember(item, slot.json, value);
        list.push(item);
      } else {
        const wild = b.wildcards.find((w) => allows(w, uri));
        if (wild) list.push({ $any: readAny(s, wild, c, readElement, '$any') });
        else {
          c.unknown(`the element ${local} is not known here`);
          s.skip();
        }
      }
      c.leave();
    }
    for (const p of b.byElement.values()) {
      const n = counts.get(p) ?? 0;
      if (n < p.min) c.tell('missing', `the element ${p.decl.name} is missing`);
      else if (n > p.max) c.tell('type', `${p.decl.name} occurs ${n} times, at most ${p.max} may`);
    }
    c.leave();
    return object;
  };
}
