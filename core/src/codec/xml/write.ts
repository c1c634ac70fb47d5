import {
  bindingOf,
  XSI,
  type AttributeProperty,
  type Binding,
  type ComplexType,
  type ElementDecl,
  type ElementProperty,
  type Particle,
  type Type,
} from '../../contract/xsd';
import { escapeAttribute, escapeText, keyOf } from '../../xml';
import type { ShapeFault } from './read';
import { Misfit, show, simpleCodec } from './simple';

/**
 * Writes JSON as XML in the order, namespace and form that the schema demands. Faults are collected with their RFC 6901
 * pointers; with faults the text must not be sent. Namespace prefixes are declared where they are first needed.
 */
export class ElementWriter {
  private out = '';
  readonly faults: ShapeFault[] = [];
  private readonly prefixes = new Map<string, string>();
  private readonly declared = new Set<string>();

  constructor(private readonly pointerBase = '') {}

  /** Content of a message element: properties of the object are its children; simple content stands in `value`. */
  message(decl: ElementDecl, content: unknown): string {
    const type = decl.type;
    this.startTag(decl);
    const value = content === undefined ? {} : content;
    if (type.kind === 'simple') {
      if (!isObject(value)) this.fault(this.pointerBase, `${show(value)} is not an object`, 'type');
      else {
        this.unknown(value, new Set(['value']), this.pointerBase);
        if (value.value === undefined) this.fault(`${this.pointerBase}/value`, 'value is missing', 'missing');
        else this.endSimple(decl, type, value.value, `${this.pointerBase}/value`);
      }
    } else this.complex(decl, type, value, this.pointerBase);
    return this.out;
  }

  /** One element with its value, as it stands inside another. */
  element(decl: ElementDecl, value: unknown, pointer: string): string {
    this.one(decl, value, pointer);
    return this.out;
  }

  private fault(pointer: string, words: string, kind: ShapeFault['kind']): void {
    this.faults.push({ pointer, words, kind });
  }

  private prefix(uri: string): string {
    let p = this.prefixes.get(uri);
    if (!p) {
      p = uri === XSI ? 'xsi' : `n${this.prefixes.size + 1}`;
      this.prefixes.set(uri, p);
    }
    return p;
  }

  private opened: string[] = [];

  private startTag(decl: ElementDecl): void {
    if (decl.uri === '') {
      this.opened.push(decl.name);
      this.out += `<${decl.name}`;
      return;
    }
    const p = this.prefix(decl.uri);
    const name = `${p}:${decl.name}`;
    this.opened.push(name);
    this.out += `<${name}`;
    this.declare(p, decl.uri);
  }

  /** A prefix stays declared for what is inside; the outermost element that needs it carries it. */
  private declare(p: string, uri: string): void {
    const key = `${this.opened.length}`;
    for (let depth = 1; depth <= this.opened.length; depth++) if (this.declared.has(`${depth} ${p}`)) return;
    this.declared.add(`${key} ${p}`);
    this.out += ` xmlns:${p}="${escapeAttribute(uri)}"`;
  }

  private close(content: boolean): void {
    const depth = this.opened.length;
    const name = this.opened.pop()!;
    this.out += content ? `</${name}>` : '/>';
    for (const p of this.prefixes.values()) this.declared.delete(`${depth} ${p}`);
  }

  private endSimple(decl: ElementDecl, type: Type & { kind: 'simple' }, value: unknown, pointer: string): void {
    const text = simpleCodec(type).write(value);
    if (text instanceof Misfit) {
      this.fault(pointer, text.words, 'type');
      this.close(false);
      return;
    }
    if (decl.fixed !== undefined && text !== decl.fixed)
      this.fault(pointer, `${decl.name} must be ${decl.fixed}`, 'type');
    this.out += `>${escapeText(text)}`;
    this.close(true);
  }

  private one(decl: ElementDecl, value: unknown, pointer: string): void {
    this.startTag(decl);
    if (value === null) {
      if (!decl.nillable) this.fault(pointer, `${decl.name} may not be null`, 'type');
      this.declare(this.prefix(XSI), XSI);
      this.out += ' xsi:nil="true"';
      this.close(false);
    } else if (decl.type.kind === 'simple') this.endSimple(decl, decl.type, value, pointer);
    else this.complex(decl, decl.type, value, pointer);
  }

  private complex(decl: ElementDecl, type: ComplexType, value: unknown, pointer: string): void {
    if (!isObject(value)) {
      this.fault(pointer, `${show(value)} is not an object`, 'type');
      this.close(false);
      return;
    }
    const binding = bindingOf(type);
    if (type.abstract) this.fault(pointer, `the type of ${decl.name} is abstract; it cannot be sent as it is`, 'type');
    for (const p of binding.byAttribute.values()) this.attribute(p, value[p.json], pointer);
    this.unknown(value, binding.byJson, pointer);
    if (binding.text) {
      if (value.value === undefined) {
        this.fault(`${pointer}/value`, 'value is missing', 'missing');
        this.close(false);
      } else this.endSimple(decl, binding.text.type, value.value, `${pointer}/value`);
      return;
    }
    if (!binding.particle) {
      this.close(false);
      return;
    }
    this.out += '>';
    const before = this.out.length;
    new ContentWalk(this, binding, value, pointer).run(binding.particle);
    if (this.out.length === before) {
      this.out = this.out.slice(0, -1);
      this.close(false);
    } else this.close(true);
  }

  private unknown(value: Record<string, unknown>, known: { has(name: string): boolean }, pointer: string): void {
    for (const key of Object.keys(value)) {
      if (!known.has(key) && value[key] !== undefined)
        this.fault(
          `${pointer}/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`,
          `the property ${key} is not known here`,
          'unknown',
        );
    }
  }

  private attribute(p: AttributeProperty, value: unknown, pointer: string): void {
    if (value === undefined) {
      if (p.use.required) this.fault(`${pointer}/${p.json}`, `${p.json} is missing`, 'missing');
      return;
    }
    const text = simpleCodec(p.use.type).write(value);
    if (text instanceof Misfit) this.fault(`${pointer}/${p.json}`, text.words, 'type');
    else {
      if (p.use.fixed !== undefined && p.use.fixed !== text)
        this.fault(`${pointer}/${p.json}`, `${p.json} must be ${p.use.fixed}`, 'type');
      let name = p.use.name;
      if (p.use.uri === 'http://www.w3.org/XML/1998/namespace') name = `xml:${name}`;
      else if (p.use.uri) {
        const prefix = this.prefix(p.use.uri);
        this.declare(prefix, p.use.uri);
        name = `${prefix}:${name}`;
      }
      this.out += ` ${name}="${escapeAttribute(text)}"`;
    }
  }

  /** Called by the walk: one occurrence of a property. */
  occurrence(p: ElementProperty, value: unknown, pointer: string): void {
    const item = p.wrapped;
    if (!item) {
      this.one(p.decl, value, pointer);
      return;
    }
    if (!Array.isArray(value)) {
      this.fault(pointer, `${show(value)} is not a list`, 'type');
      return;
    }
    this.startTag(p.decl);
    this.out += '>';
    if (value.length < item.min) this.fault(pointer, `at least ${item.min} of ${item.decl.name} are needed`, 'missing');
    if (value.length > item.max) this.fault(pointer, `at most ${item.max} of ${item.decl.name} may stand here`, 'type');
    value.forEach((v, i) => this.one(item.decl, v, `${pointer}/${i}`));
    this.close(true);
  }

  missing(p: ElementProperty, pointer: string): void {
    this.fault(`${pointer}/${p.json}`, `${p.json} is missing`, 'missing');
  }

  choiceFault(pointer: string, words: string): void {
    this.fault(pointer, words, 'choice');
  }
}

/** Lays the properties of one object along the content model; repeated groups take one item of each array per round. */
class ContentWalk {
  private readonly used = new Map<ElementProperty, number>();

  constructor(
    private readonly writer: ElementWriter,
    private readonly binding: Binding,
    private readonly value: Record<string, unknown>,
    private readonly pointer: string,
  ) {}

  run(particle: Particle): void {
    this.walk(particle, false);
    for (const p of this.binding.properties) {
      if (p.kind === 'element' && this.left(p) > 0 && !this.told.has(p))
        this.writer.choiceFault(
          `${this.pointer}/${p.json}`,
          p.many
            ? `${p.json} holds more items than may stand here`
            : `${p.json} may not stand here together with what stands beside it`,
        );
    }
  }

  private readonly told = new Set<ElementProperty>();

  private propertyOf(p: Particle): ElementProperty | undefined {
    return p.term.kind === 'element' ? this.binding.byElement.get(keyOf(p.term.uri, p.term.name)) : undefined;
  }

  private left(p: ElementProperty): number {
    const value = this.value[p.json];
    const used = this.used.get(p) ?? 0;
    if (value === undefined) return 0;
    if (!p.many) return 1 - used;
    return Array.isArray(value) ? value.length - used : used === 0 ? 1 : 0;
  }

  private has(p: Particle): boolean {
    const property = this.propertyOf(p);
    if (property) return this.left(property) > 0;
    return p.term.kind !== 'element' && p.term.kind !== 'any' && p.term.particles.some((inner) => this.has(inner));
  }

  private emptiable(p: Particle): boolean {
    if (p.min === 0) return true;
    if (p.term.kind === 'element') return false;
    if (p.term.kind === 'any') return false;
    return p.term.kind === 'choice'
      ? p.term.particles.some((q) => this.emptiable(q)) || p.term.particles.length === 0
      : p.term.particles.every((q) => this.emptiable(q));
  }

  private walk(p: Particle, repeating: boolean): void {
    const property = this.propertyOf(p);
    if (property) {
      this.element(p, property, repeating);
      return;
    }
    if (p.term.kind === 'element' || p.term.kind === 'any') return;
    let rounds = 0;
    while (rounds < p.max && this.has(p)) {
      this.round(p.term.kind, p.term.particles, repeating || p.max > 1);
      rounds++;
    }
    // Nothing given: a group that must stand and cannot be empty tells what it lacks.
    if (rounds < p.min && !this.emptiable(p)) this.round(p.term.kind, p.term.particles, repeating || p.max > 1);
  }

  private round(kind: 'sequence' | 'choice' | 'all', particles: readonly Particle[], repeating: boolean): void {
    if (kind !== 'choice') {
      for (const inner of particles) this.walk(inner, repeating);
      return;
    }
    const branch = particles.find((inner) => this.has(inner));
    if (branch) this.walk(branch, repeating);
    else if (!particles.some((inner) => this.emptiable(inner))) {
      const names = particles.flatMap((inner) => this.firstNames(inner));
      this.writer.choiceFault(this.pointer, `one of ${names.join(', ')} is needed`);
    }
  }

  private firstNames(p: Particle): string[] {
    const property = this.propertyOf(p);
    if (property) return [property.json];
    return p.term.kind === 'element' || p.term.kind === 'any'
      ? []
      : p.term.particles.flatMap((inner) => this.firstNames(inner));
  }

  private element(p: Particle, property: ElementProperty, repeating: boolean): void {
    const value = this.value[property.json];
    const at = `${this.pointer}/${property.json}`;
    const used = this.used.get(property) ?? 0;
    if (!property.many) {
      if (value === undefined || used > 0) {
        if (p.min > 0 && value === undefined) this.writer.missing(property, this.pointer);
        return;
      }
      this.used.set(property, 1);
      this.writer.occurrence(property, value, at);
      return;
    }
    if (value !== undefined && !Array.isArray(value)) {
      this.used.set(property, 1);
      this.told.add(property);
      this.writer.choiceFault(at, `${show(value)} is not a list`);
      return;
    }
    const items = (value as unknown[] | undefined) ?? [];
    const least = Math.max(p.min, repeating && p.max > 1 ? items.length - used : 0);
    const take = Math.min(p.max, repeating ? Math.max(least, p.min) : items.length - used, items.length - used);
    const n = repeating ? Math.max(take, Math.min(1, p.max, items.length - used)) : take;
    if (n < p.min) {
      if (n === 0) this.writer.missing(property, this.pointer);
      else this.writer.choiceFault(at, `at least ${p.min} of ${property.json} are needed`);
    }
    for (let i = 0; i < n; i++) this.writer.occurrence(property, items[used + i], `${at}/${used + i}`);
    this.used.set(property, used + n);
  }
}

export function isObject(value: unknown): value is Record<string, unknown> {
  return value !== null && typeof value === 'object' && !Array.isArray(value);
}
