/* eslint-disable max-lines -- one machine over one position; cut in two it would hand its state about */
import { LIMITS } from '../limits';
import {
  CLASS,
  DECLARATION,
  expandReferences,
  FORBIDDEN,
  hex,
  internNamespace,
  isSpace,
  LONE_SURROGATE,
  NCNAME,
  wrongDeclaration,
  wrongInstruction,
  XML_NS,
  XmlError,
} from './characters';

/** What `next` met. Comments and processing instructions are passed over. */
export const END = 0;
export const OPEN = 1;
export const CLOSE = 2;
export const TEXT = 3;
export type ScanEvent = typeof END | typeof OPEN | typeof CLOSE | typeof TEXT;

/** An element's or attribute's name as written, with the namespace it has while `version` holds. */
export interface ScannedName {
  readonly raw: string;
  readonly prefix: string;
  readonly local: string;
  uri: string;
  version: number;
  /** The name that opened after this one the last time: messages of one kind repeat themselves. */
  next: ScannedName | undefined;
  /** The attributes that stood on it the last time, if it is an element's. */
  attributes: ScannedName[] | undefined;
}

const NO_DECLARATIONS: Record<string, string> = Object.freeze({});

/**
 * Names seen by any scanner: messages of one kind have the same. What they mean holds only while `version` does, and no two scanners
 * ever have the same one.
 */
const names = new Map<string, ScannedName>();
const MOST_NAMES = 20_000;
let versions = 0;

/**
 * Pulls XML 1.0 with namespaces out of a text, element by element, without a tree and without copying. Document types are refused,
 * so the only entities are the predefined ones and character references. One instance per document.
 */
export class XmlScanner {
  private readonly text: string;
  private pos = 0;
  private readonly open: ScannedName[] = [];
  private empty = false;
  private sawRoot = false;
  private readonly nsPrefix: string[] = ['xml'];
  private readonly nsUri: string[] = [XML_NS];
  /** For each open element: bindings in force outside of it. */
  private readonly nsMark: number[] = [];
  private version = ++versions;
  /** After OPEN: the element. */
  name: ScannedName = { raw: '', prefix: '', local: '', uri: '', version: 0, next: undefined, attributes: undefined };
  /** After OPEN: attributes without namespace declarations. */
  attributeCount = 0;
  readonly attributeName: ScannedName[] = [];
  readonly attributeValue: string[] = [];
  /** After TEXT. */
  chars = '';
  /** After TEXT: it was a CDATA section. */
  cdata = false;
  /** Where the last event began. */
  at = 0;

  constructor(
    text: string,
    private readonly maxDepth: number = LIMITS.xmlDepth,
    private readonly maxAttributes: number = LIMITS.xmlAttributes,
  ) {
    let t = text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
    // XML 1.0 §2.11: line ends are one LF before anything else looks.
    if (t.includes('\r')) t = t.replace(/\r\n?/g, '\n');
    this.text = t;
    const bad = FORBIDDEN.exec(t);
    if (bad) this.fail(`the character U+${hex(bad[0].charCodeAt(0))} is not allowed in XML`, bad.index);
    const half = LONE_SURROGATE.exec(t);
    if (half) this.fail('half a surrogate pair is no character', half.index);
    if (t.startsWith('<?xml') && (CLASS[t.charCodeAt(5)]! & 4) !== 0) {
      const declared = DECLARATION.exec(t);
      if (!declared) this.fail('the XML declaration is malformed', 0);
      this.pos = declared[0].length;
    }
  }

  get depth(): number {
    return this.open.length;
  }

  fail(message: string, index = this.at, kind?: XmlError['kind']): never {
    throw new XmlError(message, this.text, index, kind);
  }

  private readonly failAt = (message: string, index: number): never => this.fail(message, index);

  /** Bindings that the open element declares itself, prefix ('' for the default) to namespace. */
  declarations(): Record<string, string> {
    const from = this.nsMark[this.nsMark.length - 1]!;
    if (from === this.nsPrefix.length) return NO_DECLARATIONS;
    const out: Record<string, string> = {};
    for (let i = from; i < this.nsPrefix.length; i++) out[this.nsPrefix[i]!] = this.nsUri[i]!;
    return out;
  }

  /** The namespace of a prefix here; '' for the default where there is none, undefined where it is not declared. */
  namespaceOf(prefix: string): string | undefined {
    for (let i = this.nsPrefix.length - 1; i >= 0; i--) if (this.nsPrefix[i] === prefix) return this.nsUri[i];
    return prefix === '' ? '' : undefined;
  }

  /** Every binding in force, innermost last. */
  bindings(): readonly (readonly [prefix: string, uri: string])[] {
    return this.nsPrefix.map((p, i) => [p, this.nsUri[i]!] as const);
  }

  next(): ScanEvent {
    const text = this.text;
    if (this.empty) {
      this.empty = false;
      this.pop();
      return CLOSE;
    }
    for (;;) {
      const pos = this.pos;
      this.at = pos;
      if (pos >= text.length) {
        if (this.open.length) this.fail(`the text ends inside ${this.open[this.open.length - 1]!.raw}`, text.length);
        if (!this.sawRoot) this.fail('there is no element', text.length);
        return END;
      }
      if (text.charCodeAt(pos) !== 60) {
        let end = text.indexOf('<', pos);
        if (end < 0) end = text.length;
        this.pos = end;
        if (this.open.length === 0) {
          if (!isSpace(text, pos, end)) this.fail('text stands outside of the root element', pos);
          continue;
        }
        this.chars = this.charData(pos, end);
        this.cdata = false;
        return TEXT;
      }
      const c = text.charCodeAt(pos + 1);
      if (c === 47) {
        this.closeTag(pos);
        return CLOSE;
      }
      if (c === 33) {
        if (this.bang(pos)) return TEXT;
        continue;
      }
      if (c === 63) {
        this.instruction(pos);
        continue;
      }
      this.openTag(pos);
      return OPEN;
    }
  }

  /**
   * Text up to the end of the element just opened, with CDATA sections, and past that end. Undefined when an element stands inside:
   * then `next` goes on behind that element's start tag, and what was read is in `chars`.
   */
  simpleContent(): string | undefined {
    const text = this.text;
    if (this.empty) {
      this.empty = false;
      this.pop();
      return '';
    }
    // The usual leaf: plain characters, then its own end tag.
    const pos = this.pos;
    const end = text.indexOf('<', pos);
    if (end > 0 && text.charCodeAt(end + 1) === 47) {
      this.at = pos;
      const value = end === pos ? '' : this.charData(pos, end);
      this.closeTag(end);
      return value;
    }
    let out = '';
    for (;;) {
      const event = this.next();
      if (event === TEXT) out += this.chars;
      else if (event === CLOSE) return out;
      else {
        this.chars = out;
        return undefined;
      }
    }
  }

  /**
   * Text of the leaf that stands next, if it has this name as written, no attributes and nothing but text, and past its end. Undefined where anything
   * else stands: then nothing has moved.
   */
  leaf(name: ScannedName): string | undefined {
    if (this.empty || name.version !== this.version || this.open.length === 0 || this.open.length >= this.maxDepth)
      return undefined;
    const { text } = this;
    const { raw } = name;
    let at = this.pos;
    let c = text.charCodeAt(at);
    while (c === 10 || c === 32 || c === 9) c = text.charCodeAt(++at);
    const start = at + raw.length + 2;
    if (c !== 60 || text.charCodeAt(start - 1) !== 62 || !text.startsWith(raw, at + 1)) return undefined;
    const end = text.indexOf('<', start);
    const close = end + 2 + raw.length;
    if (end < 0 || text.charCodeAt(end + 1) !== 47 || text.charCodeAt(close) !== 62 || !text.startsWith(raw, end + 2))
      return undefined;
    this.at = start;
    const value = end === start ? '' : this.charData(start, end);
    this.pos = close + 1;
    this.name = name;
    return value;
  }

  /** Past the end of the element just opened, whatever it holds. */
  skip(): void {
    let depth = 1;
    while (depth > 0) {
      const event = this.next();
      if (event === OPEN) depth++;
      else if (event === CLOSE) depth--;
    }
  }

  /** Where the next & and the next ]]> stand at or behind the last place looked at; both only ever move on. */
  private nextReference = -1;
  private nextSectionEnd = -1;

  private charData(from: number, to: number): string {
    if (this.nextSectionEnd < from) this.nextSectionEnd = this.seek(']]>', from);
    if (this.nextSectionEnd < to) this.fail(']]> may not stand in text', this.nextSectionEnd);
    const raw = this.text.slice(from, to);
    return this.hasReference(from, to) ? expandReferences(raw, from, this.failAt) : raw;
  }

  private hasReference(from: number, to: number): boolean {
    if (this.nextReference < from) this.nextReference = this.seek('&', from);
    return this.nextReference < to;
  }

  private seek(what: string, from: number): number {
    const at = this.text.indexOf(what, from);
    return at < 0 ? Infinity : at;
  }

  /** Index behind the name at `from`. */
  private nameEnd(from: number): number {
    const text = this.text;
    let i = from;
    let c = text.charCodeAt(i);
    if (c < 128 ? (CLASS[c]! & 1) === 0 : Number.isNaN(c)) this.fail('a name must stand here', from);
    do c = text.charCodeAt(++i);
    while (c < 128 ? (CLASS[c]! & 2) !== 0 : c >= 128);
    return i;
  }

  private nameFor(raw: string, index: number): ScannedName {
    let entry = names.get(raw);
    if (!entry) {
      const colon = raw.indexOf(':');
      const prefix = colon < 0 ? '' : raw.slice(0, colon);
      const local = colon < 0 ? raw : raw.slice(colon + 1);
      if ((colon >= 0 && !NCNAME.test(prefix)) || !NCNAME.test(local)) this.fail(`${raw} is not a name`, index);
      entry = { raw, prefix, local, uri: '', version: 0, next: undefined, attributes: undefined };
      if (names.size >= MOST_NAMES) names.clear();
      if (raw.length <= 200) names.set(raw, entry);
    }
    return entry;
  }

  private resolve(entry: ScannedName, index: number): void {
    if (entry.version === this.version) return;
    const uri = this.namespaceOf(entry.prefix);
    if (uri === undefined || entry.prefix === 'xmlns')
      this.fail(`the prefix ${entry.prefix} is not declared`, index, 'prefix');
    entry.uri = uri;
    entry.version = this.version;
  }

  /** The text as it is read: line ends are one LF, a byte order mark is gone. Places refer to it. */
  get source(): string {
    return this.text;
  }

  /** What was read from that place on. */
  since(from: number): string {
    return this.text.slice(from, this.pos);
  }

  private openTag(pos: number): void {
    const text = this.text;
    if (this.open.length === 0) {
      if (this.sawRoot) this.fail('a second root element', pos);
      this.sawRoot = true;
    }
    if (this.open.length >= this.maxDepth) this.fail(`elements are nested deeper than ${this.maxDepth}`, pos, 'bound');
    let name = this.name.next;
    let i = name === undefined ? 0 : pos + 1 + name.raw.length;
    const behind = i === 0 ? 0 : text.charCodeAt(i);
    if (
      name === undefined ||
      !(behind === 62 || behind === 32 || behind === 47) ||
      !text.startsWith(name.raw, pos + 1)
    ) {
      i = this.nameEnd(pos + 1);
      name = this.nameFor(text.slice(pos + 1, i), pos);
      this.name.next = name;
    }
    this.nsMark.push(this.nsPrefix.length);
    this.attributeCount = 0;
    if (text.charCodeAt(i) === 62) i++;
    else i = this.attributes(i, name);
    this.open.push(name);
    this.resolve(name, pos);
    this.name = name;
    this.pos = i;
  }

  /** Everything from behind the name to behind the end of the tag. */
  private attributes(from: number, name: ScannedName): number {
    const text = this.text;
    let i = from;
    let n = 0;
    let total = 0;
    let declared = false;
    for (;;) {
      const before = i;
      let c = text.charCodeAt(i);
      while (c === 32 || c === 10 || c === 9) c = text.charCodeAt(++i);
      if (c === 62) {
        i++;
        break;
      }
      if (c === 47) {
        if (text.charCodeAt(i + 1) !== 62) this.fail('> must follow / in a tag', i);
        this.empty = true;
        i += 2;
        break;
      }
      if (i >= text.length) this.fail('the text ends inside a tag', text.length);
      if (i === before) this.fail('white space must stand between attributes', i);
      if (++total > this.maxAttributes)
        this.fail(`an element has more than ${this.maxAttributes} attributes`, i, 'bound');
      const start = i;
      // The attribute that stood at this place the last time is tried first.
      const guess = name.attributes?.[n];
      let entry: ScannedName | undefined;
      if (guess !== undefined && text.startsWith(guess.raw, i) && text.charCodeAt(i + guess.raw.length) === 61) {
        entry = guess;
        i += guess.raw.length;
      } else i = this.nameEnd(i);
      const raw = entry === undefined ? text.slice(start, i) : entry.raw;
      c = text.charCodeAt(i);
      while (c === 32 || c === 10 || c === 9) c = text.charCodeAt(++i);
      if (c !== 61) this.fail(`the attribute ${raw} has no value`, i);
      c = text.charCodeAt(++i);
      while (c === 32 || c === 10 || c === 9) c = text.charCodeAt(++i);
      if (c !== 34 && c !== 39) this.fail(`the value of ${raw} must stand in quotes`, i);
      const quote = c;
      let end = i;
      let plain = true;
      do {
        c = text.charCodeAt(++end);
        // NaN, too, is not above: the text ends.
        if (!(c > 60) && c !== quote) {
          if (Number.isNaN(c)) this.fail(`the value of ${raw} is not closed`, i);
          if (c === 60 || c === 38 || c < 32) plain = false;
        }
      } while (c !== quote);
      const value = plain ? text.slice(i + 1, end) : this.attributeText(i + 1, end);
      i = end + 1;
      if (raw === 'xmlns' || raw.startsWith('xmlns:')) {
        this.declare(raw, value, start);
        declared = true;
        continue;
      }
      entry ??= this.nameFor(raw, start);
      if (n < 16) {
        for (let k = 0; k < n; k++)
          if (this.attributeName[k]!.raw === raw) this.fail(`the attribute ${raw} stands twice`, start);
      }
      if (entry !== guess && n < 16) (name.attributes ??= [])[n] = entry;
      this.attributeName[n] = entry;
      this.attributeValue[n] = value;
      n++;
    }
    this.attributeCount = n;
    if (declared) this.version = ++versions;
    if (n) this.resolveAttributes(n, from);
    return i;
  }

  private resolveAttributes(n: number, index: number): void {
    let prefixed = 0;
    for (let k = 0; k < n; k++) {
      const entry = this.attributeName[k]!;
      if (entry.prefix === '') continue;
      prefixed++;
      this.resolve(entry, index);
    }
    if (n < 16 && prefixed < 2) return;
    // Namespaces in XML §6.3: no two attributes with the same expanded name.
    const seen = new Set<string>();
    for (let k = 0; k < n; k++) {
      const entry = this.attributeName[k]!;
      const key = entry.prefix === '' ? entry.local : `{${entry.uri}}${entry.local}`;
      if (seen.has(key)) this.fail(`the attribute ${entry.raw} stands twice`, index);
      seen.add(key);
    }
  }

  private attributeText(from: number, to: number): string {
    let raw = this.text.slice(from, to);
    if (raw.includes('<')) this.fail('< may not stand in an attribute value', from + raw.indexOf('<'));
    // §3.3.3: white space becomes a space, but not the one written as a reference.
    if (raw.includes('\n') || raw.includes('\t')) raw = raw.replace(/[\n\t]/g, ' ');
    return this.hasReference(from, to) ? expandReferences(raw, from, this.failAt) : raw;
  }

  private declare(raw: string, uri: string, index: number): void {
    const prefix = raw === 'xmlns' ? '' : raw.slice(6);
    const wrong = wrongDeclaration(raw, prefix, uri);
    if (wrong) this.fail(wrong, index);
    for (let k = this.nsMark[this.nsMark.length - 1]!; k < this.nsPrefix.length; k++)
      if (this.nsPrefix[k] === prefix) this.fail(`${raw} stands twice`, index);
    this.nsPrefix.push(prefix);
    this.nsUri.push(internNamespace(uri));
  }

  private closeTag(pos: number): void {
    const text = this.text;
    const name = this.open[this.open.length - 1];
    let i = pos + 2;
    if (!name || !text.startsWith(name.raw, i)) this.mismatch(pos, name);
    i += name.raw.length;
    let c = text.charCodeAt(i);
    while (c === 32 || c === 10 || c === 9) c = text.charCodeAt(++i);
    if (c !== 62) this.mismatch(pos, name);
    this.pos = i + 1;
    this.pop();
  }

  private mismatch(pos: number, name: ScannedName | undefined): never {
    const found = /^<\/[^\s>]*/.exec(this.text.slice(pos, pos + 200))?.[0] ?? '</';
    if (!name) this.fail(`${found}> closes nothing`, pos);
    this.fail(`${found}> stands where </${name.raw}> must stand`, pos);
  }

  private pop(): void {
    this.open.pop();
    const mark = this.nsMark.pop()!;
    if (mark < this.nsPrefix.length) {
      this.nsPrefix.length = mark;
      this.nsUri.length = mark;
      this.version = ++versions;
    }
  }

  /** Comment, CDATA section or document type. True when `chars` holds the text of a section. */
  private bang(pos: number): boolean {
    const text = this.text;
    if (text.startsWith('<!--', pos)) {
      const end = text.indexOf('--', pos + 4);
      if (end < 0) this.fail('a comment is not closed', pos);
      if (text.charCodeAt(end + 2) !== 62) this.fail('-- may not stand in a comment', end);
      this.pos = end + 3;
      return false;
    }
    if (text.startsWith('<![CDATA[', pos)) {
      if (this.open.length === 0) this.fail('a CDATA section stands outside of the root element', pos);
      const end = text.indexOf(']]>', pos + 9);
      if (end < 0) this.fail('a CDATA section is not closed', pos);
      this.chars = text.slice(pos + 9, end);
      this.cdata = true;
      this.pos = end + 3;
      return true;
    }
    if (text.startsWith('<!DOCTYPE', pos)) this.fail('a document type (DTD) is declared; none is read', pos, 'doctype');
    this.fail('<! begins neither a comment nor a CDATA section', pos);
  }

  private instruction(pos: number): void {
    const end = this.text.indexOf('?>', pos + 2);
    if (end < 0) this.fail('a processing instruction is not closed', pos);
    const wrong = wrongInstruction(this.text.slice(pos + 2, end));
    if (wrong) this.fail(wrong, pos);
    this.pos = end + 2;
  }
}
