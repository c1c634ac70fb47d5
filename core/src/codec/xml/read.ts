import { bindingOf, XSI, type ElementDecl, type ElementProperty, type Binding, type Type } from '../../contract/xsd';
import { keyOf } from '../../xml';
import { Misfit, simpleCodec, type SimpleCodec } from './simple';

/** A fault found in a message against its schema. `pointer` is an RFC 6901 pointer into the JSON form. */
export interface ShapeFault {
  readonly pointer: string;
  readonly words: string;
  readonly kind: 'unknown' | 'missing' | 'type' | 'choice';
}

export interface SeenAttribute {
  readonly uri: string;
  readonly local: string;
  readonly value: string;
}

/**
 * Reads elements of one type as JSON while a parser goes by: `open`, `text` and `close` for every element inside, no
 * tree in between. One instance per message.
 */
export class ElementReader {
  private readonly stack: Frame[] = [];
  private ignoring = 0;
  value: unknown;

  constructor(
    private readonly decl: ElementDecl,
    readonly faults: ShapeFault[],
    /** Lenient readers pass over what the schema does not know. */
    private readonly lenient: boolean,
  ) {}

  /** The element itself; its content follows by open, text and close. */
  begin(attributes: readonly SeenAttribute[]): void {
    this.stack.push(makeFrame(this.decl.type, undefined, '', this.isNil(this.decl, attributes), true));
    this.takeAttributes(this.stack[0]!, attributes);
  }

  open(uri: string, local: string, attributes: readonly SeenAttribute[]): void {
    if (this.ignoring > 0) {
      this.ignoring++;
      return;
    }
    const parent = this.stack[this.stack.length - 1]!;
    const property = parent.items ? parent.items.match(uri, local) : parent.binding?.byElement.get(keyOf(uri, local));
    if (!property) {
      const known = parent.binding?.open ?? false;
      if (!known && !this.lenient)
        this.faults.push({ pointer: parent.pointer, words: `the element ${local} is not known here`, kind: 'unknown' });
      this.ignoring = 1;
      return;
    }
    const nil = this.isNil(property.decl, attributes);
    const pointer = this.pointerOf(parent, property);
    const wrapped = parent.items ? undefined : property.wrapped;
    const frame =
      wrapped && !nil
        ? makeWrapperFrame(wrapped, property, pointer)
        : makeFrame(property.decl.type, property, pointer, nil, false);
    this.stack.push(frame);
    this.takeAttributes(frame, attributes);
  }

  text(t: string): void {
    if (this.ignoring > 0) return;
    const frame = this.stack[this.stack.length - 1];
    if (frame) frame.text = frame.text === '' ? t : frame.text + t;
  }

  /** Returns true when the element that `begin` opened is done. */
  close(): boolean {
    if (this.ignoring > 0) {
      this.ignoring--;
      return false;
    }
    const frame = this.stack.pop()!;
    const value = this.finish(frame);
    const parent = this.stack[this.stack.length - 1];
    if (!parent) {
      this.value = value;
      return true;
    }
    if (parent.items) parent.list!.push(value);
    else {
      const property = frame.property!;
      const target = parent.object!;
      if (!property.many) {
        if (Object.hasOwn(target, property.json))
          this.faults.push({
            pointer: frame.pointer,
            words: `the element ${property.decl.name} occurs more than once`,
            kind: 'type',
          });
        target[property.json] = value;
      } else ((target[property.json] ??= []) as unknown[]).push(value);
    }
    return false;
  }

  private isNil(decl: ElementDecl, attributes: readonly SeenAttribute[]): boolean {
    if (attributes.length === 0) return false;
    for (const a of attributes)
      if (a.local === 'nil' && a.uri === XSI) return decl.nillable && (a.value === 'true' || a.value === '1');
    return false;
  }

  private pointerOf(parent: Frame, property: ElementProperty): string {
    if (parent.items) return `${parent.pointer}/${parent.list!.length}`;
    const base = `${parent.pointer}/${property.json}`;
    return property.many ? `${base}/${(parent.object![property.json] as unknown[] | undefined)?.length ?? 0}` : base;
  }

  private takeAttributes(frame: Frame, attributes: readonly SeenAttribute[]): void {
    for (const a of attributes) {
      if (a.uri === XSI || a.uri === 'http://www.w3.org/2000/xmlns/') continue;
      const property = frame.binding?.byAttribute.get(keyOf(a.uri, a.local));
      if (!property || !frame.object) {
        // Attributes of other namespaces (SOAP's mustUnderstand, encodingStyle) are no business of the schema.
        if (!this.lenient && a.uri === '' && !frame.anyAttribute)
          this.faults.push({
            pointer: frame.pointer,
            words: `the attribute ${a.local} is not known here`,
            kind: 'unknown',
          });
        continue;
      }
      const v = simpleCodec(property.use.type).read(a.value);
      if (v instanceof Misfit)
        this.faults.push({ pointer: `${frame.pointer}/${property.json}`, words: v.words, kind: 'type' });
      else frame.object[property.json] = v;
    }
  }

  private finish(frame: Frame): unknown {
    if (frame.nil) return null;
    if (frame.list) return frame.list;
    if (frame.simple) {
      const v = frame.simple.read(frame.text);
      if (v instanceof Misfit) {
        this.faults.push({ pointer: frame.pointer, words: v.words, kind: 'type' });
        return null;
      }
      if (!frame.root) return v;
      return { value: v };
    }
    const binding = frame.binding!;
    const object = frame.object!;
    if (binding.text) {
      const v = simpleCodec(binding.text.type).read(frame.text);
      if (v instanceof Misfit) this.faults.push({ pointer: frame.pointer, words: v.words, kind: 'type' });
      else object.value = v;
    } else if (!frame.mixed && frame.text.trim() !== '' && !this.lenient) {
      this.faults.push({ pointer: frame.pointer, words: `text stands where only elements may stand`, kind: 'type' });
    }
    this.checkPresence(binding, object, frame.pointer);
    return object;
  }

  private checkPresence(binding: Binding, object: Record<string, unknown>, pointer: string): void {
    for (const p of binding.properties) {
      if (p.kind === 'element') {
        // None is an empty array; here, so that properties stand in the order of the XML.
        if (p.many) object[p.json] ??= [];
        const have = object[p.json];
        const n = p.many ? (have as unknown[]).length : have === undefined ? 0 : 1;
        if (n < p.min)
          this.faults.push({
            pointer: `${pointer}/${p.json}`,
            words:
              p.many && n > 0
                ? `${p.decl.name} occurs ${n} times, at least ${p.min} are needed`
                : `the element ${p.decl.name} is missing`,
            kind: 'missing',
          });
        else if (n > p.max)
          this.faults.push({
            pointer: `${pointer}/${p.json}`,
            words: `${p.decl.name} occurs ${n} times, at most ${p.max} may`,
            kind: 'type',
          });
      } else if (p.kind === 'attribute' && p.use.required && object[p.json] === undefined) {
        this.faults.push({
          pointer: `${pointer}/${p.json}`,
          words: `the attribute ${p.use.name} is missing`,
          kind: 'missing',
        });
      }
    }
  }
}

interface Frame {
  readonly property: ElementProperty | undefined;
  readonly pointer: string;
  readonly nil: boolean;
  readonly root: boolean;
  readonly mixed: boolean;
  readonly anyAttribute: boolean;
  text: string;
  readonly simple?: SimpleCodec;
  readonly binding?: Binding;
  readonly object?: Record<string, unknown>;
  readonly list?: unknown[];
  /** Inside a wrapper: its one repeating element. */
  readonly items?: { match(uri: string, local: string): ElementProperty | undefined };
}

function makeFrame(
  type: Type,
  property: ElementProperty | undefined,
  pointer: string,
  nil: boolean,
  root: boolean,
): Frame {
  if (type.kind === 'simple')
    return { property, pointer, nil, root, mixed: false, anyAttribute: false, text: '', simple: simpleCodec(type) };
  const binding = bindingOf(type);
  const object: Record<string, unknown> = {};
  return {
    property,
    pointer,
    nil,
    root,
    mixed: type.mixed,
    anyAttribute: type.anyAttribute,
    text: '',
    binding,
    object,
  };
}

function makeWrapperFrame(item: ElementProperty, property: ElementProperty, pointer: string): Frame {
  const match = (uri: string, local: string) => (local === item.decl.name && uri === item.decl.uri ? item : undefined);
  return {
    property,
    pointer,
    nil: false,
    root: false,
    mixed: false,
    anyAttribute: false,
    text: '',
    list: [],
    items: { match },
  };
}
