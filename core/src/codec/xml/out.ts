import { XSD, XSI, type AttributeProperty, type Binding } from '../../contract/xsd';
import { Digits } from '../../message/digits';
import { escapeAttribute, hasForbidden, isXmlName } from '../../xml';
import { FaultList } from './faults';
import { PLAIN, PlainError, writePlainContent, writePlainNamed } from './plain';
import { Misfit, simpleCodec } from './simple';

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

  attributeName(uri: string, name: string): string {
    return uri === 'http://www.w3.org/XML/1998/namespace' ? `xml:${name}` : this.tagOf(uri, name);
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
  w.out += ` ${w.attributeName(p.use.uri, p.use.name)}="${escapeAttribute(text)}"`;
}

/** Members that the type does not name: as attributes and elements in their general form where it is open, else told. The tag is open. */
export function writeStrangers(value: Record<string, unknown>, b: Binding, w: XmlOut): string {
  let out = '';
  for (const key in value) {
    const v = value[key];
    if (b.byJson.has(key) || v === undefined || !Object.hasOwn(value, key)) continue;
    if (!b.open) w.tell('unknown', `the property ${key} is not known here`, key);
    else if (key.startsWith('@') && isXmlName(key.slice(1)) && (typeof v !== 'object' || v instanceof Digits)) {
      if (hasForbidden(String(v))) w.tell('type', 'the text holds a control character that XML cannot carry', key);
      else w.out += ` ${key.slice(1)}="${escapeAttribute(String(v))}"`;
    } else guardPlain(w, () => void (out += writePlainNamed({ [key]: v }, '', PLAIN)));
  }
  return out;
}
