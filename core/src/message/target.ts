/** A request target that no honest caller sends. `message` is for callers. */
export class TargetError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'TargetError';
  }
}

/** A request target (RFC 9112 §3.2), read and normalised once. What is matched, judged and sent is this and nothing else. */
export interface Target {
  readonly form: 'origin' | 'absolute' | 'asterisk';
  /** Normalised path (RFC 3986 §6.2.2): no dot segments, no escaped unreserved characters, escapes in capitals. `*` for the asterisk form. */
  readonly path: string;
  /** The query with its `?`, or empty. */
  readonly search: string;
  /** Authority of the absolute form; it takes the place of the field Host (RFC 9112 §3.2.2). */
  readonly authority?: string;
  /**
   * Paths that a server which reads more leniently would see: escapes decoded once more, `\` as `/`, `//` as `/`, parameters behind `;` cut off.
   * Empty for nearly every request.
   */
  readonly readings: readonly string[];
}

/** Characters that may stand in a path and mean themselves in every reading. */
const PLAIN_PATH = /^(?:\/[A-Za-z0-9_~!$'()*+,=:@&-][A-Za-z0-9._~!$'()*+,=:@&-]*)*\/?$/;
const PLAIN_QUERY = /^\?[A-Za-z0-9._~!$'()*+,=:@&/?;[\]-]*$/;

/** A path may be read in so many ways; one that has more is refused. */
const MOST_READINGS = 64;

/**
 * Reads a request target. `raw` as Node hands it over: a character for each byte. Throws TargetError for what is no honest target; the
 * authority form (CONNECT) is none, since this is no tunnel.
 */
export function readTarget(raw: string): Target {
  if (raw.charCodeAt(0) === 47) return parts('origin', raw);
  if (raw === '*') return { form: 'asterisk', path: '*', search: '', readings: [] };
  const absolute = /^([A-Za-z][A-Za-z0-9+.-]*):\/\/([^/?#]*)(.*)$/s.exec(raw);
  if (!absolute) throw new TargetError('The request target is neither a path nor an http address (RFC 9112 §3.2).');
  const [, scheme, authority, rest] = absolute as unknown as [string, string, string, string];
  if (!/^https?$/i.test(scheme))
    throw new TargetError(`The request target has the scheme ${scheme}; http or https is taken.`);
  if (authority.includes('@'))
    throw new TargetError(
      'The request target carries user information, which no http address may have (RFC 9110 §4.2.4).',
    );
  if (!isAuthority(authority)) throw new TargetError('The request target names no host that can be read.');
  return { ...parts('absolute', rest.startsWith('/') ? rest : `/${rest}`), authority };
}

/** Host and port as RFC 3986 §3.2 lets them stand. */
export const isAuthority = (text: string): boolean =>
  /^(?:[A-Za-z0-9._~!$&'()*+,;=-]|%[0-9A-Fa-f]{2})+(?::\d{0,5})?$|^\[[0-9A-Fa-f:.]+\](?::\d{0,5})?$/.test(text);

/** The host of a request without its port, in lower case (RFC 3986 §3.2.2). */
export const hostOf = (authority: string): string => authority.replace(/:\d*$/, '').toLowerCase();

function parts(form: Target['form'], text: string): Target {
  const cut = text.indexOf('?');
  const rawPath = cut < 0 ? text : text.slice(0, cut);
  const rawSearch = cut < 0 ? '' : text.slice(cut);
  const search = rawSearch === '' || PLAIN_QUERY.test(rawSearch) ? rawSearch : queryOf(rawSearch);
  if (PLAIN_PATH.test(rawPath)) return { form, path: rawPath, search, readings: NONE };
  const path = normalPath(rawPath);
  return { form, path, search, readings: readingsOf(path) };
}

const NONE: readonly string[] = [];

/** Bytes that have no place in a query are escaped; nothing else of it is changed. */
function queryOf(search: string): string {
  if (/%00/.test(search)) throw new TargetError('The query holds a NUL character.');
  if (search.includes('#'))
    throw new TargetError('The request target holds a fragment, which is never sent (RFC 9112 §3.2).');
  if (CONTROL.test(search)) throw new TargetError('The query holds a control character.');
  return search.replace(/[^\x21-\x7e]|["<>\\^`{|}]/g, escaped);
}

// eslint-disable-next-line no-control-regex
const CONTROL = /[\x00-\x1f\x7f]/;
const UNRESERVED = /[A-Za-z0-9._~-]/;
/** What a segment may hold as it is: pchar of RFC 3986 §3.3 without escapes. */
const SEGMENT = /[A-Za-z0-9._~!$&'()*+,;=:@-]/;

/** An octet, or a character beyond them as its UTF-8, as escapes. */
const escaped = (c: string): string =>
  c.charCodeAt(0) <= 0xff && c.length === 1
    ? `%${c.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`
    : encodeURIComponent(c);

/** RFC 3986 §6.2.2 for a path: escapes in capitals, unreserved characters plain, what may not stand there escaped, dot segments resolved. */
export function normalPath(raw: string): string {
  if (raw.includes('#'))
    throw new TargetError('The request target holds a fragment, which is never sent (RFC 9112 §3.2).');
  if (CONTROL.test(raw)) throw new TargetError('The path holds a control character.');
  const text = raw.replace(/%([0-9A-Fa-f]{2})?|[^%/]/g, (c, hex: string | undefined) => {
    if (c[0] !== '%') return SEGMENT.test(c) ? c : escaped(c);
    if (hex === undefined) throw new TargetError('The path holds a % without two hexadecimal digits behind it.');
    const char = String.fromCharCode(parseInt(hex, 16));
    if (CONTROL.test(char)) throw new TargetError('The path holds a control character.');
    return UNRESERVED.test(char) ? char : `%${hex.toUpperCase()}`;
  });
  return withoutDots(text);
}

/** RFC 3986 §5.2.4, for an absolute path. Empty segments stay. */
export function withoutDots(path: string): string {
  if (!path.includes('/.')) return path;
  const out: string[] = [];
  const segments = path.split('/').slice(1);
  segments.forEach((s, i) => {
    const last = i === segments.length - 1;
    if (s === '..') out.pop();
    else if (s !== '.') out.push(s);
    if (last && (s === '.' || s === '..')) out.push('');
  });
  return `/${out.join('/')}`;
}

/** What lenient readers make of a normalised path. Each takes one step; together they are all that can be reached. */
const LENIENT: readonly ((path: string) => string)[] = [
  // Decoded once more.
  (p) =>
    p.includes('%') ? p.replace(/%([0-9A-F]{2})/g, (_e, hex: string) => String.fromCharCode(parseInt(hex, 16))) : p,
  (p) => p.replace(/%5C/g, '/'),
  (p) => p.replace(/\/{2,}/g, '/'),
  (p) => (p.includes(';') ? p.replace(/;[^/]*/g, '') : p),
  // Decoded before path and query are told apart, or read as a text that ends at NUL.
  (p) => p.replace(/%(?:3F|23|00).*$/s, ''),
  // UTF-8 in more bytes than it needs (RFC 3629 §3 forbids it).
  (p) =>
    p.replace(/%C([01])%([89AB][0-9A-F])/g, (_e, high: string, low: string) =>
      escaped(String.fromCharCode((Number(high) << 6) | (parseInt(low, 16) & 0x3f))),
    ),
];

function readingsOf(path: string): readonly string[] {
  const seen = new Set([path]);
  // A set is walked in the order in which it grows.
  for (const known of seen) {
    for (const step of LENIENT) {
      const read = step(known);
      if (read === known) continue;
      seen.add(lenientPath(read));
      if (seen.size > MOST_READINGS)
        throw new TargetError('The path can be read in too many ways: it is escaped over and over.');
    }
  }
  seen.delete(path);
  return seen.size ? [...seen] : NONE;
}

/** A reading as a path again: nothing in it is refused. */
function lenientPath(text: string): string {
  const plain = text.replace(/%([0-9A-Fa-f]{2})|[^/]/g, (c, hex: string | undefined) => {
    if (hex === undefined) return SEGMENT.test(c) ? c : escaped(c);
    const char = String.fromCharCode(parseInt(hex, 16));
    return UNRESERVED.test(char) ? char : `%${hex.toUpperCase()}`;
  });
  return withoutDots(plain.startsWith('/') ? plain : `/${plain}`);
}
