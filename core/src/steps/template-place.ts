import type { Expression } from '../expression';
import { expressionTree } from '../expression/expression';
import { isCsv, isForm, isJson, isXml, essence } from '../message/headers';
import { isNumber } from '../message/digits';
import { isObject } from '../message/objects';
import { writeJson } from '../codec/json';
import { escapeAttribute } from '../xml';
import { Refusal } from '../problem';

/**
 * Where a template stands: the path and query of a call, the address of a backend, the value of a header field, or a text of a media type. Each
 * value is written as its place demands, once, so that it stays one value.
 */
export type TemplateForm = 'path' | 'address' | 'header' | { readonly mediaType: string };

/** Writes one value into its place. */
export type Writer = (value: unknown) => string;

/** Text of a template before an expression, and the one directly behind it. */
interface Surroundings {
  readonly before: string;
  readonly after: string;
  /** In JSON and CSV: the place is inside of quotes. */
  readonly quoted: boolean;
  readonly expression: Expression;
}

export const textOfValue = (v: unknown): string =>
  v === undefined || v === null ? '' : typeof v === 'string' ? v : isNumber(v) ? String(v) : writeJson(v);

/** The writer for an expression at its place. */
export function writerFor(form: TemplateForm, at: Surroundings): Writer {
  if (form === 'path') return pathWriter(at);
  if (form === 'address') return addressWriter(at);
  if (form === 'header') return textOfValue;
  const { mediaType } = form;
  if (isJson(mediaType)) return (v) => inJson(v, at.quoted);
  if (isXml(mediaType) || essence(mediaType) === 'text/html') return (v) => escapeMarkup(textOfValue(v));
  if (isForm(mediaType)) return (v) => encodeURIComponent(textOfValue(v));
  if (isCsv(mediaType)) return (v) => inCsv(textOfValue(v), at.quoted);
  return textOfValue;
}

/** A value stands as JSON; inside a string its text does, escaped. Nothing is null. */
function inJson(v: unknown, quoted: boolean): string {
  return quoted ? JSON.stringify(textOfValue(v)).slice(1, -1) : v === undefined ? 'null' : writeJson(v);
}

/** For texts and quoted attributes of XML 1.0 and HTML; what XML cannot hold at all (XML 1.0 §2.2) is refused. */
function escapeMarkup(text: string): string {
  // eslint-disable-next-line no-control-regex
  if (/[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]/.test(text))
    throw new Refusal('HNG-421', {
      detail: 'The flow made a reply that cannot be written. The trace says where.',
      inner: 'a value of the template holds a control character, which XML cannot hold (XML 1.0 §2.2)',
    });
  return escapeAttribute(text).replaceAll("'", '&#39;');
}

/** RFC 4180 §2: quotes are doubled; what holds a quote, a comma or a line end is quoted. */
function inCsv(text: string, quoted: boolean): string {
  const doubled = text.replaceAll('"', '""');
  return quoted || !/[",\r\n]/.test(text) ? doubled : `"${doubled}"`;
}

/** In a path a segment, behind a question mark a value of the query. */
function pathWriter(at: Surroundings): Writer {
  if (isEncoded(at.expression)) return (v) => asItCame(textOfValue(v), at.before.endsWith('/'));
  const computed = at.expression.path === undefined;
  if (at.before.includes('?')) {
    // Between two marks of the query stands a whole pair, or several.
    const whole = /[?&]$/.test(at.before) && (at.after === '' || at.after.startsWith('&'));
    if (!whole) return (v) => encodeURIComponent(textOfValue(v));
    return (v) =>
      isObject(v)
        ? pairs(v)
        : computed && writesPairs(at.expression)
          ? queryText(v)
          : encodeURIComponent(textOfValue(v));
  }
  // An expression that makes the whole path writes its slashes itself.
  if (at.before === '' && computed) return writesQuery(at.expression) ? pathAndQuery : wholePath;
  if (at.before === '') return wholePath;
  return (v) => encodeURIComponent(textOfValue(v));
}

const segments = (text: string): string => text.split('/').map(encodeURIComponent).join('/');

function wholePath(v: unknown): string {
  const text = textOfValue(v);
  return segments(text.startsWith('/') ? text : `/${text}`);
}

function pathAndQuery(v: unknown): string {
  const text = textOfValue(v);
  const cut = text.indexOf('?');
  return cut < 0 ? wholePath(text) : `${wholePath(text.slice(0, cut))}?${queryText(text.slice(cut + 1))}`;
}

/** Pairs of a query that an expression wrote: what joins them stays, the rest is encoded. */
const queryText = (v: unknown): string =>
  textOfValue(v).replace(/%(?![0-9A-Fa-f]{2})|[^A-Za-z0-9._~!$'()*,:@/?;%&=-]/gu, encodeURIComponent);

function pairs(value: Readonly<Record<string, unknown>>): string {
  const out: string[] = [];
  for (const [name, v] of Object.entries(value))
    for (const one of Array.isArray(v) ? (v as unknown[]) : [v])
      if (one !== undefined && one !== null)
        out.push(`${encodeURIComponent(name)}=${encodeURIComponent(textOfValue(one))}`);
  return out.join('&');
}

/** Percent-encoded already: what may not stand in a URL is encoded, and nothing else. */
function asItCame(text: string, afterSlash: boolean): string {
  const kept = text.replace(/%(?![0-9A-Fa-f]{2})|[^A-Za-z0-9._~!$&'()*+,;=:@/?%[\]-]/gu, encodeURIComponent);
  return afterSlash && kept.startsWith('/') ? kept.slice(1) : kept;
}

/** Names that are percent-encoded as they came. */
const ENCODED_NAMES = new Set(['rest', 'rawQuery']);
const ENCODERS = new Set(['encodeUrlComponent', 'encodeUrl']);

/** The expression gives what is encoded already: it reads the path or query as they came and nothing else, or encodes by itself. */
function isEncoded(e: Expression): boolean {
  if (e.reads.length > 0 && e.reads.every((p) => ENCODED_NAMES.has(p[0]!))) return true;
  const tree = treeOf(e);
  return tree?.type === 'function' && ENCODERS.has(String((tree.procedure as { value?: unknown } | undefined)?.value));
}

function treeOf(e: Expression): { readonly type: string; readonly procedure?: unknown } | undefined {
  try {
    return expressionTree(e.source) as unknown as { readonly type: string; readonly procedure?: unknown };
  } catch {
    return undefined;
  }
}

/** A text of the expression itself holds a question mark, or an equals sign. */
const writesQuery = (e: Expression): boolean => /(["'])(?:(?!\1)[^\\]|\\.)*\?(?:(?!\1)[^\\]|\\.)*\1/.test(e.source);
const writesPairs = (e: Expression): boolean => /(["'])(?:(?!\1)[^\\]|\\.)*=(?:(?!\1)[^\\]|\\.)*\1/.test(e.source);

/** In a host only what a host is made of; behind it as in a path. A value at the very beginning is the whole address. */
function addressWriter(at: Surroundings): Writer {
  if (at.before === '') return textOfValue;
  const behind = /^[a-z]+:\/\/[^/?#]*[/?]/i.test(at.before);
  if (behind) return pathWriter(at);
  return (v) => {
    const text = textOfValue(v);
    if (/^[A-Za-z0-9._~-]*$/.test(text) || (/^\d+$/.test(text) && at.before.endsWith(':'))) return text;
    throw new Refusal('HNG-427', {
      detail: 'A value would change the host that is called.',
      inner: `"${text}" is put into the host of an address, where letters, digits, points and hyphens may stand`,
    });
  };
}
