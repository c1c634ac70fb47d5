import { XSD, XSI, type AttributeProperty } from '../../contract/xsd';
import { Digits } from '../../message/digits';
import { escapeAttribute, isXmlName } from '../../xml';
import { FaultList } from './faults';
import { PLAIN, PlainError, writePlainContent, writePlainNamed } from './plain';
import { Misfit, show, simpleCodec } from './simple';

/** Where writers write: the text, its prefixes, which are all declared on the outermost element, and the faults found on the way. */
export class XmlOut extends FaultList {
  out = '';
  private readonly prefixes = new Map<string, string>();
  private lastUri = '';
  private lastPrefix = '';

  constructor(base = '') {
    super(base);
  }

  /** Long texts are put aside in pieces: one string of a million joints is slow to read. */
  private readonly chunks: string[] = [];

  finish(): string {
    this.chunks.push(this.out);
    // Behind the name of the first tag, whatever variant it is of.
    const first = this.chunks[0]!;
    const end = /^<[^\s/>]+/.exec(first)?.[0].length ?? 0;
    let declarations = '';
    for (const [uri, p] of this.prefixes) declarations += ` xmlns:${p}="${escapeAttribute(uri)}"`;
    this.chunks[0] = first.slice(0, end) + declarations + first.slice(end);
    return this.chunks.length === 1 ? this.chunks[0] : this.chunks.join('');
  }

  rest(): void {
    if (this.out.length < 32_768) return;
    // Reading a character makes V8 lay the joined pieces flat now, while they are young.
    if (this.out.charCodeAt(0) >= 0) this.chunks.push(this.out);
    this.out = '';
  }

  prefixOf(uri: string): string {
    if (uri === this.lastUri) return this.lastPrefix;
    let p = uri === '' ? '' : this.prefixes.get(uri);
    if (p === undefined) {
      p = uri === XSI ? 'xsi' : uri === XSD ? 'xs' : `n${this.prefixes.size + 1}`;
      this.prefixes.set(uri, p);
    }
    this.lastUri = uri;
    this.lastPrefix = p;
    return p;
  }

  tagOf(uri: string, name: string): string {
    const p = this.prefixOf(uri);
    return p === '' ? name : `${p}:${name}`;
  }
}

/** The default form of XML without a schema. */
export const anyTypeWriter = (value: unknown, w: XmlOut): boolean => {
  guardPlain(w, () => {
    w.out += writePlainContent(value, '');
  });
  return true;
};

/** Runs what writes without a schema; its faults are told at their place. */
export function guardPlain(w: XmlOut, write: () => void): void {
  try {
    write();
  } catch (error) {
    if (!(error instanceof PlainError)) throw error;
    for (const part of error.pointer.split('/').slice(1)) w.enter(part.replace(/~1/g, '/').replace(/~0/g, '~'));
    w.tell('type', error.message);
    for (let n = error.pointer.split('/').length - 1; n > 0; n--) w.leave();
  }
}

/** Elements of a wildcard, each an object of one member. */
export function writeAny(items: readonly unknown[], from: number, to: number, w: XmlOut): void {
  w.enter('$any');
  for (let i = from; i < to; i++) {
    w.enter(i);
    guardPlain(w, () => {
      w.out += writePlainNamed(items[i], '', PLAIN);
    });
    w.leave();
  }
  w.leave();
}

export function writeAttribute(p: AttributeProperty, value: unknown, w: XmlOut): void {
  if (value === undefined) {
    if (p.use.required) w.tell('missing', `${p.json} is missing`, p.json);
    return;
  }
  const text = simpleCodec(p.use.type).write(value);
  if (text instanceof Misfit) {
    w.tell('type', text.words, p.json);
    return;
  }
  if (p.use.fixed !== undefined && p.use.fixed !== text) w.tell('type', `${p.json} must be ${p.use.fixed}`, p.json);
  w.out += ` ${attributeName(p.use.uri, p.use.name, w)}="${escapeAttribute(text)}"`;
}

function attributeName(uri: string, name: string, w: XmlOut): string {
  return uri === 'http://www.w3.org/XML/1998/namespace' ? `xml:${name}` : w.tagOf(uri, name);
}

/** Attributes of a wildcard, by `name` or `{namespace}name`. */
export function writeOpenAttributes(value: unknown, w: XmlOut): void {
  if (!isObject(value)) {
    w.tell('type', `${show(value)} is not an object`, '$attributes');
    return;
  }
  w.enter('$attributes');
  for (const key of Object.keys(value)) {
    const close = key.startsWith('{') ? key.indexOf('}') : -1;
    const uri = close < 0 ? '' : key.slice(1, close);
    const local = key.slice(close + 1);
    const v = value[key];
    if (!isXmlName(local) || local.includes(':'))
      w.tell('type', `${JSON.stringify(local)} is no name that XML allows`, key);
    else if (typeof v === 'object' && v !== null && !(v instanceof Digits))
      w.tell('type', `${show(v)} is not text`, key);
    else if (v !== undefined)
      w.out += ` ${attributeName(uri, local, w)}="${escapeAttribute(v === null ? '' : String(v as string))}"`;
  }
  w.leave();
}

export function isObject(value: unknown): value is Record<string, unknown> {
  return value !== null && typeof value === 'object' && !Array.isArray(value) && !(value instanceof Digits);
}
