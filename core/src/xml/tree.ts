import { LIMITS } from '../limits';
import { HingeError } from '../problem';
import { XmlError } from './characters';
import { CLOSE, END, TEXT, XmlScanner } from './scanner';

export interface XmlAttribute {
  readonly local: string;
  readonly prefix: string;
  /** Namespace name, '' for none (attributes take no default namespace: Namespaces in XML §6.2). */
  readonly uri: string;
  readonly value: string;
}

export interface XmlElement {
  readonly local: string;
  readonly prefix: string;
  readonly uri: string;
  readonly attributes: readonly XmlAttribute[];
  readonly children: XmlElement[];
  text: string;
  readonly line: number;
  readonly column: number;
  readonly file: string;
  readonly parent: XmlElement | undefined;
  /** Own xmlns declarations, prefix ('' for the default) to namespace name. */
  readonly declared: Readonly<Record<string, string>>;
}

/** Reads a whole XML document into a tree with places. Refuses DTDs, and anything beyond the bounds. */
export function readXmlTree(text: string, file: string, maxBytes: number = LIMITS.contractBytes): XmlElement {
  if (text.length > maxBytes) {
    throw new HingeError('HNG-103', `${file} has ${text.length} characters; at most ${maxBytes} are read`, {
      file,
      line: 1,
    });
  }
  try {
    return readTree(new XmlScanner(text), file, new LineFinder(text));
  } catch (error) {
    if (!(error instanceof XmlError)) throw error;
    const place = { file, line: error.line, column: error.column };
    if (error.kind === 'doctype') throw new HingeError('HNG-102', `${file} declares a document type`, place);
    if (error.kind === 'bound') throw new HingeError('HNG-103', error.message, place);
    if (error.kind === 'prefix') throw new HingeError('HNG-113', error.message, place);
    throw new HingeError('HNG-101', `${file} is not well-formed XML: ${error.message}`, place);
  }
}

/** Lines by index, for indexes that only grow. */
class LineFinder {
  line = 1;
  column = 1;
  private readonly text: string;
  private start = 0;
  // Kept, so that a document that is one long line is not searched to its end for each element.
  private next: number;

  constructor(source: string) {
    this.text = source.includes('\r') ? source.replace(/\r\n?/g, '\n') : source;
    this.next = this.text.indexOf('\n');
  }

  to(index: number): void {
    while (this.next >= 0 && this.next < index) {
      this.line++;
      this.start = this.next + 1;
      this.next = this.text.indexOf('\n', this.start);
    }
    this.column = index - this.start + 1;
  }
}

const NO_ATTRIBUTES: readonly XmlAttribute[] = Object.freeze([]);

function attributesOf(s: XmlScanner): readonly XmlAttribute[] {
  if (s.attributeCount === 0) return NO_ATTRIBUTES;
  const out: XmlAttribute[] = [];
  for (let k = 0; k < s.attributeCount; k++) {
    const { local, prefix, uri } = s.attributeName[k]!;
    out.push({ local, prefix, uri: prefix && uri, value: s.attributeValue[k]! });
  }
  return out;
}

function readTree(s: XmlScanner, file: string, place: LineFinder): XmlElement {
  let root: XmlElement | undefined;
  let current: XmlElement | undefined;
  for (let event = s.next(); event !== END; event = s.next()) {
    if (event === CLOSE) current = current?.parent;
    else if (event === TEXT) current!.text += s.chars;
    else {
      const { local, prefix, uri } = s.name;
      place.to(s.at);
      const element: XmlElement = {
        local,
        prefix,
        uri,
        attributes: attributesOf(s),
        children: [],
        text: '',
        line: place.line,
        column: place.column,
        file,
        parent: current,
        declared: s.declarations(),
      };
      if (current) current.children.push(element);
      else root = element;
      current = element;
    }
  }
  return root!;
}

export function attributeOf(e: XmlElement, local: string, uri = ''): string | undefined {
  for (const a of e.attributes) if (a.local === local && a.uri === uri) return a.value;
  return undefined;
}

export function childrenOf(e: XmlElement, uri: string, local: string): XmlElement[] {
  return e.children.filter((c) => c.local === local && c.uri === uri);
}

export function childOf(e: XmlElement, uri: string, local: string): XmlElement | undefined {
  return e.children.find((c) => c.local === local && c.uri === uri);
}

export function namespaceOf(e: XmlElement, prefix: string): string | undefined {
  if (prefix === 'xml') return 'http://www.w3.org/XML/1998/namespace';
  for (let at: XmlElement | undefined = e; at; at = at.parent) {
    const uri = at.declared[prefix];
    if (uri !== undefined) return uri;
  }
  return prefix === '' ? '' : undefined;
}

export interface QName {
  readonly uri: string;
  readonly local: string;
}

export const keyOf = (uri: string, local: string): string => `{${uri}}${local}`;

/** Resolves a QName in content or an attribute value (XML Schema Part 2 §3.2.18); unknown prefixes are told with their line. */
export function qnameOf(e: XmlElement, text: string): QName {
  const value = text.trim();
  const colon = value.indexOf(':');
  const prefix = colon < 0 ? '' : value.slice(0, colon);
  const uri = namespaceOf(e, prefix);
  if (uri === undefined) {
    throw new HingeError('HNG-113', `the prefix ${prefix} in "${value}" is not declared`, {
      file: e.file,
      line: e.line,
      column: e.column,
    });
  }
  return { uri, local: colon < 0 ? value : value.slice(colon + 1) };
}

export const placeOf = (e: XmlElement) => ({ file: e.file, line: e.line, column: e.column });
