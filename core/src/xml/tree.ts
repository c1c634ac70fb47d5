import { SaxesParser } from 'saxes';
import { LIMITS } from '../limits';
import { HingeError } from '../problem';

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
  const parser = new SaxesParser({ xmlns: true, position: true });
  let root: XmlElement | undefined;
  let current: XmlElement | undefined;
  let depth = 0;
  const place = () => ({ file, line: parser.line, column: parser.column });

  parser.on('error', (error) => {
    const words = error.message.replace(/^\d+:\d+: /, '').replace(/\.$/, '');
    const prefix = /unbound namespace prefix: (.*)/.exec(words);
    if (prefix) throw new HingeError('HNG-113', `the prefix ${prefix[1]} is not declared`, place());
    throw new HingeError('HNG-101', `${file} is not well-formed XML: ${words}`, place());
  });
  parser.on('doctype', () => {
    throw new HingeError('HNG-102', `${file} declares a document type`, place());
  });
  parser.on('opentag', (tag) => {
    depth++;
    if (depth > LIMITS.xmlDepth)
      throw new HingeError('HNG-103', `elements are nested deeper than ${LIMITS.xmlDepth}`, place());
    const names = Object.keys(tag.attributes);
    if (names.length > LIMITS.xmlAttributes)
      throw new HingeError(
        'HNG-103',
        `an element has ${names.length} attributes; at most ${LIMITS.xmlAttributes} are read`,
        place(),
      );
    const attributes: XmlAttribute[] = [];
    for (const name of names) {
      const a = tag.attributes[name]!;
      if (a.prefix === 'xmlns' || name === 'xmlns') continue;
      attributes.push({ local: a.local, prefix: a.prefix, uri: a.uri, value: a.value });
    }
    const element: XmlElement = {
      local: tag.local,
      prefix: tag.prefix,
      uri: tag.uri,
      attributes,
      children: [],
      text: '',
      line: parser.line,
      column: parser.column,
      file,
      parent: current,
      declared: { ...tag.ns },
    };
    if (current) current.children.push(element);
    else root = element;
    current = element;
  });
  parser.on('closetag', () => {
    depth--;
    current = current?.parent;
  });
  const addText = (t: string) => {
    if (current) current.text += t;
  };
  parser.on('text', addText);
  parser.on('cdata', addText);
  parser.write(text.charCodeAt(0) === 0xfeff ? text.slice(1) : text);
  parser.close();
  if (!root) throw new HingeError('HNG-101', `${file} holds no XML element`, { file, line: 1 });
  return root;
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
