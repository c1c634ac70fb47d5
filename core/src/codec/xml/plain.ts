import { Digits, numberFromText } from '../../message/digits';
import { escapePointer } from '../../schema';
import {
  CLOSE,
  escapeAttribute,
  escapeText,
  hasForbidden,
  isSpace,
  isXmlName,
  OPEN,
  TEXT,
  XmlScanner,
} from '../../xml';
import { setMember } from '../../message/objects';

/**
 * XML without a schema as JSON, and back: attributes are members `@name`, text beside them `#text`, an element that stands several
 * times in a row is a list, and where text or the order of elements would be lost the content is a list `#content` of strings and of
 * objects with one member. Names keep their prefixes; namespace declarations are attributes. White space between elements is dropped.
 */
export interface PlainSettings {
  readonly attribute: string;
  readonly text: string;
  readonly cdata: string;
  readonly content: string;
  /** CDATA sections stay apart from text. */
  readonly keepCdata: boolean;
  /** Elements that are lists even when they stand once, by name as written. */
  readonly lists: readonly string[];
  /** Numbers, true, false become JSON's own where the text is exactly what JSON writes. */
  readonly typed: boolean;
  /** Prefixes and namespace declarations are left out. One way: JSON made so goes back without namespaces. */
  readonly dropNamespaces: boolean;
}

export const PLAIN: PlainSettings = {
  attribute: '@',
  text: '#text',
  cdata: '#cdata',
  content: '#content',
  keepCdata: false,
  lists: [],
  typed: false,
  dropNamespaces: false,
};

type Members = Record<string, unknown>;

/** A whole document as an object of one member: the root element. Throws XmlError. */
export function readPlainDocument(text: string, settings: PlainSettings = PLAIN): unknown {
  const s = new XmlScanner(text);
  s.next();
  const value = readPlainNamed(s, settings);
  s.next();
  return value;
}

/** The element just opened under its own name; bindings from outside that it uses are declared on it. */
export function readPlainNamed(s: XmlScanner, settings: PlainSettings): Members {
  const name = nameOf(s.name.raw, s.name.local, settings);
  const out: Members = {};
  setMember(out, name, readWhole(s, settings, true));
  return out;
}

/** The content of the element just opened, without its name. */
export function readPlain(s: XmlScanner, settings: PlainSettings): unknown {
  return readWhole(s, settings, false);
}

function readWhole(s: XmlScanner, settings: PlainSettings, named: boolean): unknown {
  const outer = new Map(s.bindings().filter(([p]) => p !== 'xml'));
  for (const p of Object.keys(s.declarations())) outer.delete(p);
  const scope: Scope = { outer, need: new Map() };
  if (named) note(scope, s.name.prefix, s.name.uri);
  const value = readContent(s, settings, scope);
  if (scope.need.size === 0 || settings.dropNamespaces) return value;
  const members: Members = {};
  for (const [prefix, uri] of scope.need) members[`${settings.attribute}xmlns${prefix && `:${prefix}`}`] = uri;
  return isMembers(value) ? { ...members, ...value } : value === '' ? members : { ...members, [settings.text]: value };
}

interface Scope {
  readonly outer: ReadonlyMap<string, string>;
  readonly need: Map<string, string>;
}

function note(scope: Scope, prefix: string, uri: string): void {
  if (scope.outer.size && scope.outer.get(prefix) === uri && uri !== '') scope.need.set(prefix, uri);
}

const nameOf = (raw: string, local: string, settings: PlainSettings): string => (settings.dropNamespaces ? local : raw);

const JSON_SCALAR = /^(?:true|false|-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?)$/;

function scalar(text: string, settings: PlainSettings): unknown {
  if (!settings.typed || !JSON_SCALAR.test(text)) return text;
  return text === 'true' || text === 'false' ? text === 'true' : numberFromText(text);
}

function readContent(s: XmlScanner, settings: PlainSettings, scope: Scope): unknown {
  const members: Members = {};
  let any = false;
  if (!settings.dropNamespaces) {
    for (const [prefix, uri] of Object.entries(s.declarations())) {
      members[`${settings.attribute}xmlns${prefix && `:${prefix}`}`] = uri;
      any = true;
    }
  }
  for (let k = 0; k < s.attributeCount; k++) {
    const a = s.attributeName[k]!;
    if (a.prefix) note(scope, a.prefix, a.uri);
    members[settings.attribute + nameOf(a.raw, a.local, settings)] = scalar(s.attributeValue[k]!, settings);
    any = true;
  }
  const parts: unknown[] = [];
  let elements = 0;
  let texts = 0;
  for (let event = s.next(); event !== CLOSE; event = s.next()) {
    if (event === TEXT) {
      if (settings.keepCdata && s.cdata) {
        parts.push({ [settings.cdata]: s.chars });
        elements++;
      } else if (typeof parts[parts.length - 1] === 'string') parts[parts.length - 1] += s.chars;
      else {
        parts.push(s.chars);
        texts++;
      }
    } else if (event === OPEN) {
      const item: Members = {};
      note(scope, s.name.prefix, s.name.uri);
      setMember(item, nameOf(s.name.raw, s.name.local, settings), readContent(s, settings, scope));
      parts.push(item);
      elements++;
    }
  }
  if (elements === 0) {
    const text = (parts[0] as string | undefined) ?? '';
    if (scope.outer.size) {
      const prefix = /^\s*([^\s:]+):[^\s:]/.exec(text)?.[1];
      if (prefix !== undefined && scope.outer.has(prefix)) scope.need.set(prefix, scope.outer.get(prefix)!);
    }
    const value = scalar(text, settings);
    if (!any) return value;
    if (texts) members[settings.text] = value;
    return members;
  }
  const inOrder = texts === 0 || parts.every((p) => typeof p !== 'string' || isSpace(p));
  const children = parts.filter((p): p is Members => typeof p !== 'string');
  if (!inOrder || !runsTogether(children)) {
    members[settings.content] = inOrder ? children : parts;
    return members;
  }
  for (const child of children) {
    const name = Object.keys(child)[0]!;
    const value = child[name];
    if (!Object.hasOwn(members, name))
      setMember(members, name, settings.lists.includes(name) ? new Run([value]) : value);
    else {
      const have = members[name];
      if (have instanceof Run) have.items.push(value);
      else setMember(members, name, new Run([have, value]));
    }
  }
  for (const name of Object.keys(members)) {
    const v = members[name];
    if (v instanceof Run) setMember(members, name, v.items);
  }
  return members;
}

/** A list being gathered; a value that is a list itself could not be told from it. */
class Run {
  constructor(readonly items: unknown[]) {}
}

/** Names that come back after another one would lose their order in an object. */
function runsTogether(children: readonly Members[]): boolean {
  const seen = new Set<string>();
  let last: string | undefined;
  for (const child of children) {
    const name = Object.keys(child)[0]!;
    if (name !== last && seen.has(name)) return false;
    seen.add(name);
    last = name;
  }
  return true;
}

/** What cannot be written as XML, with its RFC 6901 pointer. */
export class PlainError extends Error {
  constructor(
    message: string,
    readonly pointer: string,
  ) {
    super(message);
    this.name = 'PlainError';
  }
}

/** An object of one member as a document. Throws PlainError. */
export function writePlainDocument(value: unknown, settings: PlainSettings = PLAIN, root = 'root'): string {
  const names = isMembers(value) ? Object.keys(value) : [];
  const single = names.length === 1 && !Array.isArray((value as Members)[names[0]!]) && isXmlName(names[0]!);
  const named: Members = single ? (value as Members) : { [root]: Array.isArray(value) ? { item: value } : value };
  return `<?xml version="1.0" encoding="UTF-8"?>\n${writePlainNamed(named, single ? '' : '/', settings)}`;
}

/** One element from an object of one member. `pointer` is where the object stands. */
export function writePlainNamed(item: unknown, pointer: string, settings: PlainSettings): string {
  const names = isMembers(item) ? Object.keys(item) : [];
  if (names.length !== 1)
    throw new PlainError('an element is written as an object of one member, its name', pointer || '/');
  const w = new PlainWriter(settings);
  w.element(names[0]!, (item as Members)[names[0]!], pointer === '/' ? '' : `${pointer}/${escapePointer(names[0]!)}`);
  return w.out;
}

/** Content of an element whose start tag is open: attributes, the end of the tag and what is inside; without the end tag. */
export function writePlainContent(value: unknown, pointer: string, settings: PlainSettings = PLAIN): string {
  const w = new PlainWriter(settings);
  w.content(value, pointer);
  return w.out;
}

class PlainWriter {
  out = '';

  constructor(private readonly settings: PlainSettings) {}

  element(name: string, value: unknown, pointer: string): void {
    if (!isXmlName(name)) throw new PlainError(`${JSON.stringify(name)} is no name that XML allows`, pointer);
    if (Array.isArray(value)) {
      value.forEach((v, i) => this.element(name, Array.isArray(v) ? { item: v } : v, `${pointer}/${i}`));
      return;
    }
    this.out += `<${name}`;
    this.content(value, pointer);
    this.out += `</${name}>`;
  }

  content(value: unknown, pointer: string): void {
    if (!isMembers(value)) {
      this.out += `>${escapeText(this.text(value, pointer))}`;
      return;
    }
    const { attribute, text, cdata, content } = this.settings;
    for (const key of Object.keys(value)) {
      if (!key.startsWith(attribute) || value[key] === undefined) continue;
      const at = `${pointer}/${escapePointer(key)}`;
      const name = key.slice(attribute.length);
      if (!isXmlName(name)) throw new PlainError(`${JSON.stringify(name)} is no name that XML allows`, at);
      this.out += ` ${name}="${escapeAttribute(this.text(value[key], at))}"`;
    }
    this.out += '>';
    for (const key of Object.keys(value)) {
      const v = value[key];
      if (key.startsWith(attribute) || v === undefined) continue;
      const at = `${pointer}/${escapePointer(key)}`;
      if (key === text) this.out += escapeText(this.text(v, at));
      else if (key === cdata) this.section(v, at);
      else if (key === content) this.list(v, at);
      else this.element(key, v, at);
    }
  }

  private list(value: unknown, pointer: string): void {
    if (!Array.isArray(value)) throw new PlainError(`${this.settings.content} must be a list`, pointer);
    value.forEach((item, i) => {
      const at = `${pointer}/${i}`;
      if (!isMembers(item)) {
        this.out += escapeText(this.text(item, at));
        return;
      }
      const name = Object.keys(item)[0];
      if (name === undefined || Object.keys(item).length !== 1)
        throw new PlainError('an element in a list of content is an object of one member, its name', at);
      const inner = `${at}/${escapePointer(name)}`;
      if (name === this.settings.cdata) this.section(item[name], inner);
      else this.element(name, item[name], inner);
    });
  }

  private section(value: unknown, pointer: string): void {
    const sections = Array.isArray(value) ? value : [value];
    for (const v of sections) this.out += `<![CDATA[${this.text(v, pointer).replaceAll(']]>', ']]]]><![CDATA[>')}]]>`;
  }

  private text(value: unknown, pointer: string): string {
    if (value === null || value === undefined) return '';
    if (typeof value === 'string') {
      if (hasForbidden(value))
        throw new PlainError('the text holds a control character that XML cannot carry', pointer);
      return value;
    }
    if (value instanceof Digits) return value.text;
    if (typeof value === 'number' || typeof value === 'boolean' || typeof value === 'bigint') return String(value);
    throw new PlainError('text must stand here', pointer);
  }
}

function isMembers(value: unknown): value is Members {
  return value !== null && typeof value === 'object' && !Array.isArray(value) && !(value instanceof Digits);
}
