import { allows, XSI, type Binding, type ElementProperty, type Order } from '../../contract/xsd';
import { keyOf, type XmlScanner } from '../../xml';
import { setMember } from '../../message/objects';
import { FaultList } from './faults';
import { PLAIN, readPlainNamed } from './plain';
import { Misfit, simpleCodec, type SimpleCodec } from './simple';
import type { Guess } from './slots';
import { wrongAttribute } from './open-attributes';

/** Reads one message: where faults go, and whether what the schema does not know is told, passed over or kept for whoever checks. */
export class ReadContext extends FaultList {
  readonly lenient: boolean;
  /** Elements and attributes that nothing names stay, in their general form. */
  readonly keeps: boolean;

  constructor(
    lenient: boolean | 'keeping',
    base = '',
    /** Wildcards around it whose text is read once more. */
    readonly nested = 0,
  ) {
    super(base);
    this.lenient = lenient !== false;
    this.keeps = lenient === 'keeping';
  }

  /** What has no place at all. */
  unknown(words: string): void {
    if (!this.lenient || this.keeps) this.tell('unknown', words);
  }
}

export function valueOf(codec: SimpleCodec, text: string, c: ReadContext, name?: string): unknown {
  const v = codec.read(text);
  if (!(v instanceof Misfit)) return v;
  c.tell('type', v.words, name);
  return null;
}

/** An element where only text may stand: told, and everything up to the end of its parent passed over. */
export function strayElement(s: XmlScanner, c: ReadContext): null {
  c.tell('unknown', `the element ${s.name.local} stands where only text may stand`);
  s.skip();
  s.skip();
  return null;
}

const STRANGE = { ...PLAIN, dropNamespaces: true };

/** The element just opened, which its parent does not name: in its general form where the parent is open, else left out, and told. */
export function readStranger(object: Record<string, unknown>, open: boolean, s: XmlScanner, c: ReadContext): void {
  const { local } = s.name;
  if (!open && !c.keeps) {
    c.unknown(`the element ${local} is not known here`);
    s.skip();
    return;
  }
  const value = readPlainNamed(s, STRANGE)[local];
  const have = Object.hasOwn(object, local) ? object[local] : undefined;
  setMember(
    object,
    local,
    have === undefined ? value : Array.isArray(have) ? [...(have as unknown[]), value] : [have, value],
  );
}

/** Attributes of other namespaces (SOAP's mustUnderstand, encodingStyle) are no business of the schema. */
export function foreignAttributes(s: XmlScanner, c: ReadContext): void {
  if (c.lenient && !c.keeps) return;
  for (let k = 0; k < s.attributeCount; k++) {
    const a = s.attributeName[k]!;
    if (a.prefix === '') c.unknown(`the attribute ${a.local} is not known here`);
  }
}

export function advance(
  order: Order,
  state: number,
  key: ElementProperty | 'wildcard',
  local: string,
  c: ReadContext,
  json?: string,
): number {
  if (order.kind !== 'automaton') return -1;
  const next = order.states[state]!.next.get(key);
  if (next !== undefined) return next;
  c.tell('order', `the element ${local} may not stand here; the contract wants another order or choice`, json);
  return -1;
}

export function endsEarly(wanted: Iterable<ElementProperty | 'wildcard'>, found: boolean, c: ReadContext): void {
  const names = [...wanted].map((w) => (w === 'wildcard' ? 'another element' : w.decl.name));
  c.tell(
    'choice',
    found ? `it ends too early; ${names.join(' or ')} must follow` : `one of ${names.join(', ')} is needed`,
  );
}

export function checkCount(p: ElementProperty, have: unknown, c: ReadContext): void {
  const n = p.many ? (have as unknown[]).length : have === undefined ? 0 : 1;
  if (n < p.min)
    c.tell(
      'missing',
      p.many && n > 0
        ? `${p.decl.name} occurs ${n} times, at least ${p.min} are needed`
        : `the element ${p.decl.name} is missing`,
      p.json,
    );
  else if (n > p.max) c.tell('type', `${p.decl.name} occurs ${n} times, at most ${p.max} may`, p.json);
}

export type AttributeReader = (object: Record<string, unknown>, s: XmlScanner, c: ReadContext) => void;

export function attributeReader(b: Binding): AttributeReader {
  const required = [...b.byAttribute.values()].filter((p) => p.use.required);
  const known = new Map<string, { readonly json: string; readonly required: boolean; readonly codec: SimpleCodec }>();
  for (const { json, use } of b.byAttribute.values())
    known.set(use.uri ? keyOf(use.uri, use.name) : use.name, {
      json,
      required: use.required,
      codec: simpleCodec(use.type),
    });
  return (object, s, c) => {
    let needed = required.length;
    for (let k = 0; k < s.attributeCount; k++) {
      const a = s.attributeName[k]!;
      const uri = a.prefix === '' ? '' : a.uri;
      if (uri === XSI) continue;
      const key = uri === '' ? a.local : keyOf(uri, a.local);
      const property = known.get(key);
      if (!property) {
        if (b.anyAttribute.some((w) => allows(w, uri))) {
          const open = (object.$attributes ??= {}) as Record<string, unknown>;
          setMember(open, key, s.attributeValue[k]!);
          const wrong = c.lenient
            ? undefined
            : wrongAttribute(uri, a.local, s.attributeValue[k]!, b.anyAttribute, false);
          if (wrong) {
            c.enter('$attributes');
            c.tell(wrong.kind, wrong.words, key);
            c.leave();
          }
        } else if ((b.open || c.keeps) && uri === '') setMember(object, `@${a.local}`, s.attributeValue[k]!);
        else if (uri === '') c.unknown(`the attribute ${a.local} is not known here`);
        continue;
      }
      if (property.required) needed--;
      setMember(object, property.json, valueOf(property.codec, s.attributeValue[k]!, c, property.json));
    }
    if (needed > 0)
      for (const p of required)
        if (!Object.hasOwn(object, p.json)) c.tell('missing', `the attribute ${p.use.name} is missing`, p.json);
  };
}

/** The list that a member holds; `__proto__` is a member only where it is one of its own. */
export const listOf = (object: Record<string, unknown>, name: string): unknown[] | undefined =>
  name === '__proto__' && !Object.hasOwn(object, name) ? undefined : (object[name] as unknown[] | undefined);

/** One more item, behind those of `list` where they are known. Gives the list. */
export function addItem(
  object: Record<string, unknown>,
  { json, leaf }: Guess['slot'],
  text: string,
  c: ReadContext,
  known: unknown[] | undefined,
): unknown[] {
  const list = known ?? listOf(object, json);
  const value = leaf.read(text);
  if (value instanceof Misfit) {
    c.enter(json);
    c.tell('type', value.words, String(list?.length ?? 0));
    c.leave();
  }
  const item = value instanceof Misfit ? null : value;
  if (list !== undefined) {
    list.push(item);
    return list;
  }
  // A list that begins empty is given room for seventeen.
  const begun = [item];
  setMember(object, json, begun);
  return begun;
}

/** `fresh`: it is known that none stood before. */
export function addLeaf(
  object: Record<string, unknown>,
  slot: Guess['slot'],
  text: string,
  c: ReadContext,
  fresh: boolean,
): void {
  const { json, leaf } = slot;
  const value = leaf.read(text);
  if (!fresh && object[json] !== undefined && Object.hasOwn(object, json)) {
    c.enter(json);
    c.tell('type', `the element ${slot.decl.name} occurs more than once`);
    c.leave();
  }
  if (value instanceof Misfit) c.tell('type', value.words, json);
  setMember(object, json, value instanceof Misfit ? null : value);
}
