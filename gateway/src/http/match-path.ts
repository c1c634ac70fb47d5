/**
 * Paths as the router compares them. Segments are percent-decoded, so that a literal matches in every spelling; what the router's syntax would
 * take for a mark of its own (`/`, `:`, `*`, `%` and so on, all but letters, digits and `-._~`) stands as a lone surrogate, which no decoded text
 * holds. An octet that is no UTF-8 stands so too.
 */
const PLAIN = /^[A-Za-z0-9/._~-]*$/;
const LONE = 0xdc00;
/** Octets that are no UTF-8 lie behind the characters of ASCII. */
const utf8 = new TextDecoder('utf-8', { fatal: true });

/** A path, normalised as RFC 3986 §6.2.2 says, as the router compares it. */
export function matchPath(path: string): string {
  return PLAIN.test(path) ? path : path.split('/').map(matchSegment).join('/');
}

function matchSegment(segment: string): string {
  const text = segment.replace(/(?:%[0-9A-Fa-f]{2})+/g, decodedRun);
  // Characters of ASCII are hidden one by one; those of others are no marks.
  return text.replace(/[^A-Za-z0-9._~\u0080-\uffff-]/g, hidden);
}

const hidden = (c: string): string => String.fromCharCode(LONE + c.charCodeAt(0));

function decodedRun(run: string): string {
  const bytes = Uint8Array.from(run.match(/[0-9A-Fa-f]{2}/g)!, (hex) => parseInt(hex, 16));
  try {
    return utf8.decode(bytes);
  } catch {
    return [...bytes].map((b) => (b < 0x80 ? String.fromCharCode(b) : String.fromCharCode(LONE + b))).join('');
  }
}

/** The value of a path parameter: percent-decoded; an octet that is no UTF-8 stays escaped. */
export function shownValue(matched: string): string {
  if (PLAIN.test(matched)) return matched;
  return matched.replace(/[\ud800-\udbff][\udc00-\udfff]|[\udc00-\udcff]/g, (c) => {
    if (c.length === 2) return c;
    const code = c.charCodeAt(0) - LONE;
    return code < 0x80 ? String.fromCharCode(code) : `%${code.toString(16).toUpperCase()}`;
  });
}
