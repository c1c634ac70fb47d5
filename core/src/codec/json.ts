import { LIMITS } from '../limits';
import { Digits } from '../message/digits';
import { JsonError, JsonReader } from './json-reader';

export { JsonError };

/**
 * Numbers that a double may change: a fraction that ends in 0, an exponent, a minus zero, 16 digits or more. Strings may
 * match too; then the slow reader runs for nothing, and the result is the same.
 */
const RISKY_NUMBER = /\d(?:\.(?:\d*0(?![\d.])|\d{8})|[eE][+-]?\d|\d{15}|\d{7}\.\d)|-0(?![.\d])/;

/** RFC 8259, every digit kept. Depth is bounded before anything recurses. */
export function readJson(text: string): unknown {
  checkDepth(text);
  if (!RISKY_NUMBER.test(text)) {
    try {
      return JSON.parse(text) as unknown;
    } catch {
      // The other reader says where.
    }
  }
  return new JsonReader(text).read();
}

function checkDepth(text: string): void {
  // Each level takes a character.
  if (text.length <= LIMITS.jsonDepth) return;
  let depth = 0;
  let inString = false;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (inString) {
      if (c === 92) i++;
      else if (c === 34) inString = false;
    } else if (c === 34) inString = true;
    else if (c === 123 || c === 91) {
      if (++depth > LIMITS.jsonDepth)
        throw new JsonError(`arrays and objects are nested deeper than ${LIMITS.jsonDepth}`, i);
    } else if (c === 125 || c === 93) depth--;
  }
}

/** Writes JSON with the digits of `Digits`. `indent` 0 writes one line. Members whose value is undefined are left out. */
export function writeJson(value: unknown, indent = 0): string {
  return indent ? (write(value, indent, '') ?? 'null') : line('', value);
}

/** Characters that JSON escapes; lone surrogates too (well-formed JSON.stringify). */
const ESCAPED = /["\\\u0000-\u001f\ud800-\udfff]/; // eslint-disable-line no-control-regex
const quote = (text: string): string => (ESCAPED.test(text) ? JSON.stringify(text) : `"${text}"`);

/** The beginnings of a member: first or not, with the quote of a text behind it or without. */
interface Begin {
  readonly first: string;
  readonly next: string;
  readonly firstText: string;
  readonly nextText: string;
}

/** Names of members come again and again. */
const NAMES = new Map<string, Begin>();
const MOST_NAMES = 20_000;

function beginOf(name: string): Begin {
  let begin = NAMES.get(name);
  if (begin === undefined) {
    const member = `${quote(name)}:`;
    begin = { first: `{${member}`, next: `,${member}`, firstText: `{${member}"`, nextText: `,${member}"` };
    if (NAMES.size >= MOST_NAMES) NAMES.clear();
    if (name.length <= 100) NAMES.set(name, begin);
  }
  return begin;
}

/**
 * What was written so far, with a value behind it. Texts of parts that are put into the text of a whole make twice the
 * garbage, which was two fifths of all that a long reply leaves.
 */
function line(out: string, value: unknown): string {
  switch (typeof value) {
    case 'string':
      return ESCAPED.test(value) ? out + JSON.stringify(value) : `${out}"${value}"`;
    case 'number':
      return out + (Number.isFinite(value) ? String(value) : 'null');
    case 'boolean':
      return out + (value ? 'true' : 'false');
    case 'bigint':
      return out + String(value);
    case 'object':
      break;
    default:
      // A list has null there (ECMA-262 §25.5.2.6); members are left out before.
      return `${out}null`;
  }
  if (value === null) return `${out}null`;
  if (value instanceof Digits) return out + value.text;
  if (Array.isArray(value)) {
    out += '[';
    for (let i = 0; i < value.length; i++) out = line(i > 0 ? `${out},` : out, value[i]);
    return `${out}]`;
  }
  let first = true;
  for (const name in value as object) {
    if (!Object.hasOwn(value as object, name)) continue;
    const v = (value as Record<string, unknown>)[name];
    if (v === undefined || typeof v === 'function' || typeof v === 'symbol') continue;
    const begin = beginOf(name);
    if (typeof v === 'string' && !ESCAPED.test(v)) out = `${out + (first ? begin.firstText : begin.nextText) + v}"`;
    else out = line(out + (first ? begin.first : begin.next), v);
    first = false;
  }
  return first ? `${out}{}` : `${out}}`;
}

function write(value: unknown, indent: number, margin: string): string | undefined {
  if (value === null) return 'null';
  switch (typeof value) {
    case 'string':
      return JSON.stringify(value);
    case 'number':
      return Number.isFinite(value) ? String(value) : 'null';
    case 'boolean':
      return value ? 'true' : 'false';
    case 'bigint':
      return String(value);
    case 'object':
      break;
    default:
      return undefined;
  }
  if (value instanceof Digits) return value.text;
  const inner = indent ? `${margin}${' '.repeat(indent)}` : '';
  const open = indent ? `\n${inner}` : '';
  const between = indent ? `,\n${inner}` : ',';
  const close = indent ? `\n${margin}` : '';
  if (Array.isArray(value)) {
    if (value.length === 0) return '[]';
    return `[${open}${value.map((v) => write(v, indent, inner) ?? 'null').join(between)}${close}]`;
  }
  const parts: string[] = [];
  const colon = indent ? ': ' : ':';
  for (const key of Object.keys(value as object)) {
    const text = write((value as Record<string, unknown>)[key], indent, inner);
    if (text !== undefined) parts.push(`${JSON.stringify(key)}${colon}${text}`);
  }
  return parts.length === 0 ? '{}' : `{${open}${parts.join(between)}${close}}`;
}
