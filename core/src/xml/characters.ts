export const XML_NS = 'http://www.w3.org/XML/1998/namespace';
export const XMLNS_NS = 'http://www.w3.org/2000/xmlns/';

/** Not well-formed (XML 1.0 §2.1), breaks Namespaces in XML 1.0, or beyond a bound. `index` counts UTF-16 units. */
export class XmlError extends Error {
  constructor(
    message: string,
    private readonly source: string,
    readonly index: number,
    readonly kind: 'form' | 'doctype' | 'bound' | 'prefix' = 'form',
  ) {
    super(message);
    this.name = 'XmlError';
  }

  get line(): number {
    let n = 1;
    for (let at = this.source.indexOf('\n'); at >= 0 && at < this.index; at = this.source.indexOf('\n', at + 1)) n++;
    return n;
  }

  get column(): number {
    return this.index - this.source.lastIndexOf('\n', Math.max(0, this.index - 1));
  }
}

const namespaces = new Map<string, string>();

/** One string object for each namespace name, so that comparing two is comparing two addresses. */
export function internNamespace(uri: string): string {
  const have = namespaces.get(uri);
  if (have !== undefined) return have;
  // Messages bring names too; what nobody declared in a contract must not pile up.
  if (namespaces.size >= 10_000 || uri.length > 1_000) return uri;
  namespaces.set(uri, uri);
  return uri;
}

/** ASCII: 1 name start, 2 name part, 4 white space. The colon is left to the split of names. */
export const CLASS = new Uint8Array(128);
for (const c of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_:') CLASS[c.charCodeAt(0)] = 3;
for (const c of '0123456789-.') CLASS[c.charCodeAt(0)] = 2;
for (const c of ' \t\n\r') CLASS[c.charCodeAt(0)] = 4;
/** XML 1.0 §2.3 [4] and [4a], fifth edition. */
export const NAME_START =
  'A-Z_a-z\\u00C0-\\u00D6\\u00D8-\\u00F6\\u00F8-\\u02FF\\u0370-\\u037D\\u037F-\\u1FFF\\u200C-\\u200D\\u2070-\\u218F\\u2C00-\\u2FEF\\u3001-\\uD7FF\\uF900-\\uFDCF\\uFDF0-\\uFFFD\\u{10000}-\\u{EFFFF}';
/** What a name may hold besides, the colon left out of both. */
export const NAME_CHARS = '\\-.0-9\\u00B7\\u0300-\\u036F\\u203F-\\u2040';
/** An NCName of Namespaces in XML §3. */
// eslint-disable-next-line no-misleading-character-class -- combining marks are name characters
export const NCNAME = new RegExp(`^[${NAME_START}][${NAME_START}${NAME_CHARS}]*$`, 'u');
/** Outside of XML 1.0 §2.2 [2] Char. */
export const FORBIDDEN = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/; // eslint-disable-line no-control-regex
export const LONE_SURROGATE = /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/;
const PREDEFINED: Readonly<Record<string, string>> = { lt: '<', gt: '>', amp: '&', quot: '"', apos: "'" };
export const DECLARATION =
  /^<\?xml[ \t\n]+version[ \t\n]*=[ \t\n]*(?:'1\.[0-9]+'|"1\.[0-9]+")(?:[ \t\n]+encoding[ \t\n]*=[ \t\n]*(?:'[A-Za-z][A-Za-z0-9._-]*'|"[A-Za-z][A-Za-z0-9._-]*"))?(?:[ \t\n]+standalone[ \t\n]*=[ \t\n]*(?:'(?:yes|no)'|"(?:yes|no)"))?[ \t\n]*\?>/;

/** A QName as XML allows it: one part, or a prefix and a local part. */
export function isXmlName(name: string): boolean {
  const colon = name.indexOf(':');
  return colon < 0 ? NCNAME.test(name) : NCNAME.test(name.slice(0, colon)) && NCNAME.test(name.slice(colon + 1));
}

export function isSpace(text: string, from = 0, to = text.length): boolean {
  for (let i = from; i < to; i++) {
    const c = text.charCodeAt(i);
    if (c !== 32 && c !== 10 && c !== 9 && c !== 13) return false;
  }
  return true;
}

export const hex = (code: number): string => code.toString(16).toUpperCase().padStart(4, '0');

/** Character references and the predefined entities (XML 1.0 §4.1, §4.6) of `raw`, which stands at `from`. `fail` throws. */
export function expandReferences(raw: string, from: number, fail: (message: string, index: number) => never): string {
  let out = '';
  let done = 0;
  for (let i = raw.indexOf('&'); i >= 0; i = raw.indexOf('&', done)) {
    const end = raw.indexOf(';', i);
    const name = end < 0 ? '' : raw.slice(i + 1, end);
    if (!name || name.length > 32) fail('& begins no reference; write &amp; for the character', from + i);
    out += raw.slice(done, i) + reference(name, from + i, fail);
    done = end + 1;
  }
  return out + raw.slice(done);
}

function reference(name: string, index: number, fail: (message: string, index: number) => never): string {
  const known = Object.hasOwn(PREDEFINED, name) ? PREDEFINED[name] : undefined;
  if (known !== undefined) return known;
  const code = /^#x[0-9a-fA-F]+$/.test(name)
    ? parseInt(name.slice(2), 16)
    : /^#[0-9]+$/.test(name)
      ? Number(name.slice(1))
      : -1;
  if (code < 0) fail(`the entity ${name} is not declared; document types are not read`, index);
  const allowed = code === 9 || code === 10 || code === 13 || (code >= 32 && code <= 0x10ffff);
  if (!allowed || (code >= 0xd800 && code <= 0xdfff) || code === 0xfffe || code === 0xffff)
    fail(`&${name}; is no character that XML allows`, index);
  return String.fromCodePoint(code);
}

/** Namespaces in XML §3, §5: what may not be bound, or bound so. */
export function wrongDeclaration(raw: string, prefix: string, uri: string): string | undefined {
  if (raw.length === 6 || prefix === 'xmlns' || (prefix !== '' && !NCNAME.test(prefix)))
    return `${raw} may not be declared`;
  if (prefix !== '' && uri === '') return `the prefix ${prefix} is bound to no namespace`;
  if ((prefix === 'xml') !== (uri === XML_NS) || uri === XMLNS_NS) return `${raw} may not be bound to ${uri}`;
  return undefined;
}

/** XML 1.0 §2.6: a target that is a name but not xml, then white space before anything else. */
export function wrongInstruction(inner: string): string | undefined {
  const target = /^[^ \t\n]*/.exec(inner)![0];
  return !NCNAME.test(target) || target.toLowerCase() === 'xml'
    ? `${target || 'nothing'} may not be the name of a processing instruction`
    : undefined;
}
