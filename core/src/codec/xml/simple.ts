import { jsonKind, lexicalForm, type SimpleType } from '../../contract/xsd';
import { Digits, isNumber, numberFromText } from '../../message/digits';
import { hasForbidden } from '../../xml';

/** One simple value: XML text to JSON, and JSON to XML text. A failure is the words that say what is wrong. */
export interface SimpleCodec {
  /** Returns the JSON value, or `Misfit`. */
  read(text: string): unknown;
  /** Returns XML text (not escaped), or `Misfit`. */
  write(value: unknown): string | Misfit;
}

export class Misfit {
  constructor(readonly words: string) {}
}

const codecs = new WeakMap<SimpleType, SimpleCodec>();

export function simpleCodec(type: SimpleType): SimpleCodec {
  let codec = codecs.get(type);
  if (!codec) {
    codec = makeCodec(type);
    codecs.set(type, codec);
  }
  return codec;
}

function makeCodec(type: SimpleType): SimpleCodec {
  if (type.variety === 'list') return listCodec(type);
  if (type.variety === 'union') return unionCodec(type);
  switch (jsonKind(type.builtin)) {
    case 'boolean':
      return booleanCodec();
    case 'integer':
      return numberCodec(type, /^[+-]?\d+$/, 'a whole number');
    case 'decimal':
      return numberCodec(type, /^[+-]?(\d+(\.\d*)?|\.\d+)$/, 'a decimal number');
    case 'float':
      return floatCodec(type);
    case 'string':
      return stringCodec(type);
  }
}

const LOOSE = /^[ \t\n\r]|[ \t\n\r]$|[\t\n\r]| {2}/;
const collapse = (text: string): string => (LOOSE.test(text) ? text.replace(/[ \t\n\r]+/g, ' ').trim() : text);

function normalise(text: string, type: SimpleType): string {
  const mode = type.facets.whiteSpace;
  if (mode === 'collapse') return collapse(text);
  if (mode === 'replace') return text.replace(/[\t\n\r]/g, ' ');
  return text;
}

function booleanCodec(): SimpleCodec {
  return {
    read(text) {
      const t = collapse(text);
      if (t === 'true' || t === '1') return true;
      if (t === 'false' || t === '0') return false;
      return new Misfit(`"${brief(t)}" is not true or false`);
    },
    write(value) {
      if (value === true || value === 'true') return 'true';
      if (value === false || value === 'false') return 'false';
      return new Misfit(`${show(value)} is not true or false`);
    },
  };
}

const JSON_NUMBER = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/;

/** XML number text to JSON number text: no leading +, no leading zeros, digits on both sides of the point (RFC 8259 §6). */
export function jsonNumberText(text: string): string {
  if (JSON_NUMBER.test(text)) return text;
  let sign = '';
  let t = text;
  if (t[0] === '+') t = t.slice(1);
  else if (t[0] === '-') {
    sign = '-';
    t = t.slice(1);
  }
  t = t.replace(/^0+(?=\d)/, '');
  if (t[0] === '.') t = `0${t}`;
  if (t.endsWith('.')) t = t.slice(0, -1);
  return sign + t.replace(/\.(?=[eE])/, '');
}

function numberCodec(type: SimpleType, lexical: RegExp, words: string): SimpleCodec {
  const rule = numberRule(type);
  const wholeOnly = jsonKind(type.builtin) === 'integer';
  const check = (text: string): string | Misfit => {
    if (!lexical.test(text)) return new Misfit(`"${brief(text)}" is not ${words}`);
    const broken = rule(text);
    return broken ? new Misfit(broken) : text;
  };
  const small = smallRule(type);
  return {
    read(text) {
      // Up to nine digits with nothing to drop: a double holds them, and most bounds are plain comparisons.
      if (small !== undefined && SMALL.test(text)) {
        const n = Number(text);
        if (n >= small.min && n <= small.max) return n;
      }
      const t = check(collapse(text));
      return t instanceof Misfit ? t : numberFromText(jsonNumberText(t));
    },
    write(value) {
      if (
        small !== undefined &&
        typeof value === 'number' &&
        value >= small.min &&
        value <= small.max &&
        (value | 0) === value &&
        !Object.is(value, -0)
      )
        return String(value);
      if (!isNumber(value)) return new Misfit(`${show(value)} is not ${words}`);
      let text = typeof value === 'number' ? String(value) : value.text;
      if (/[eE]/.test(text)) text = plainDecimal(text);
      if (wholeOnly && /^-?\d+\.0+$/.test(text)) text = text.slice(0, text.indexOf('.'));
      return check(text);
    },
  };
}

const SMALL = /^(?:0|-?[1-9]\d{0,8})$/;

/** Bounds of a number type as doubles, where nothing but bounds limits it. */
function smallRule(type: SimpleType): { min: number; max: number } | undefined {
  const f = type.facets;
  if (f.enumeration || f.patterns || f.totalDigits !== undefined) return undefined;
  const low = [f.minInclusive, f.minExclusive].filter((v) => v !== undefined).map(Number);
  const high = [f.maxInclusive, f.maxExclusive].filter((v) => v !== undefined).map(Number);
  const min = Math.max(-999_999_999, ...low.map((v) => Math.ceil(v) + (f.minExclusive === undefined ? 0 : 1)));
  const max = Math.min(999_999_999, ...high.map((v) => Math.floor(v) - (f.maxExclusive === undefined ? 0 : 1)));
  return { min, max };
}

/** xs:decimal knows no exponent (Part 2 §3.2.3.1): 1e-7 is written 0.0000001. */
function plainDecimal(text: string): string {
  const m = /^(-?)(\d+)(?:\.(\d+))?[eE]([+-]?\d+)$/.exec(text);
  if (!m) return text;
  const exponent = Number(m[4]);
  if (Math.abs(exponent) > 400) return text;
  const digits = m[2]! + (m[3] ?? '');
  const point = m[2]!.length + exponent;
  if (point <= 0) return `${m[1]}0.${'0'.repeat(-point)}${digits}`;
  if (point >= digits.length) return `${m[1]}${digits}${'0'.repeat(point - digits.length)}`;
  return `${m[1]}${digits.slice(0, point)}.${digits.slice(point)}`;
}

/** Compares decimal numbers by their text, so that no digit is lost. */
export function compareDecimals(a: string, b: string): number {
  // Fifteen digits fit a double, and two different decimals of so few digits are two different doubles.
  if (a.length <= 15 && b.length <= 15) {
    const x = Number(a);
    const y = Number(b);
    if (Number.isFinite(x) && Number.isFinite(y)) return x - y;
  }
  const [sa, ia, fa] = split(a);
  const [sb, ib, fb] = split(b);
  if (sa !== sb) return sa - sb;
  if (ia.length !== ib.length) return sa * (ia.length - ib.length);
  if (ia !== ib) return sa * (ia < ib ? -1 : 1);
  const width = Math.max(fa.length, fb.length);
  const pa = fa.padEnd(width, '0');
  const pb = fb.padEnd(width, '0');
  return pa === pb ? 0 : sa * (pa < pb ? -1 : 1);
}

function split(text: string): [sign: 1 | -1, whole: string, fraction: string] {
  const m = /^([+-]?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(text);
  const whole = m?.[2] ?? '';
  const fraction = m?.[3] ?? '';
  const negative = m?.[1] === '-' && (whole !== '' || fraction !== '');
  return [negative ? -1 : 1, whole, fraction];
}

/** Digits that count (Part 2 §4.3.11, §4.3.12): without zeros in front of the whole part and at the end of the fraction. */
function digitsOf(text: string): { whole: number; fraction: number } {
  const point = text.indexOf('.');
  const end = point < 0 ? text.length : point;
  let from = 0;
  while (from < end && !(text.charCodeAt(from) > 48)) from++;
  let to = text.length;
  if (point >= 0) while (to > point + 1 && text.charCodeAt(to - 1) === 48) to--;
  return { whole: end - from, fraction: point < 0 ? 0 : to - point - 1 };
}

function numberRule(type: SimpleType): (text: string) => string | undefined {
  const f = type.facets;
  const rules: ((text: string) => string | undefined)[] = [];
  if (f.minInclusive !== undefined)
    rules.push((t) =>
      compareDecimals(t, f.minInclusive!) < 0 ? `${brief(t)} is less than ${f.minInclusive}` : undefined,
    );
  if (f.maxInclusive !== undefined)
    rules.push((t) =>
      compareDecimals(t, f.maxInclusive!) > 0 ? `${brief(t)} is more than ${f.maxInclusive}` : undefined,
    );
  if (f.minExclusive !== undefined)
    rules.push((t) =>
      compareDecimals(t, f.minExclusive!) <= 0 ? `${brief(t)} is not more than ${f.minExclusive}` : undefined,
    );
  if (f.maxExclusive !== undefined)
    rules.push((t) =>
      compareDecimals(t, f.maxExclusive!) >= 0 ? `${brief(t)} is not less than ${f.maxExclusive}` : undefined,
    );
  if (f.enumeration)
    rules.push((t) =>
      f.enumeration!.some((e) => compareDecimals(t, e) === 0)
        ? undefined
        : `${brief(t)} is none of ${f.enumeration!.join(', ')}`,
    );
  if (f.fractionDigits !== undefined)
    rules.push((t) =>
      digitsOf(t).fraction > f.fractionDigits!
        ? `${brief(t)} has more than ${f.fractionDigits} digits after the point`
        : undefined,
    );
  if (f.totalDigits !== undefined) {
    rules.push((t) => {
      const n = digitsOf(t);
      return n.whole + n.fraction > f.totalDigits! ? `${brief(t)} has more than ${f.totalDigits} digits` : undefined;
    });
  }
  if (rules.length === 0) return () => undefined;
  return (text) => {
    for (const rule of rules) {
      const words = rule(text);
      if (words) return words;
    }
    return undefined;
  };
}

function floatCodec(type: SimpleType): SimpleCodec {
  const lexical = /^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?$/;
  const f = type.facets;
  const bounded = (n: number, t: string): string | undefined => {
    if (f.minInclusive !== undefined && n < Number(f.minInclusive)) return `${t} is less than ${f.minInclusive}`;
    if (f.maxInclusive !== undefined && n > Number(f.maxInclusive)) return `${t} is more than ${f.maxInclusive}`;
    if (f.minExclusive !== undefined && n <= Number(f.minExclusive)) return `${t} is not more than ${f.minExclusive}`;
    if (f.maxExclusive !== undefined && n >= Number(f.maxExclusive)) return `${t} is not less than ${f.maxExclusive}`;
    return undefined;
  };
  return {
    read(text) {
      const t = collapse(text);
      if (t === 'INF' || t === '-INF' || t === 'NaN') return t;
      if (!lexical.test(t)) return new Misfit(`"${brief(t)}" is not a number`);
      const words = bounded(Number(t), t);
      return words ? new Misfit(words) : numberFromText(jsonNumberText(t));
    },
    write(value) {
      if (value === 'INF' || value === '-INF' || value === 'NaN') return value;
      if (!isNumber(value)) return new Misfit(`${show(value)} is not a number`);
      const text = value instanceof Digits ? value.text : String(value);
      const words = bounded(Number(text), text);
      return words ? new Misfit(words) : text;
    },
  };
}

function stringCodec(type: SimpleType): SimpleCodec {
  const f = type.facets;
  const lexical = lexicalForm(type.builtin);
  const min = f.length ?? f.minLength;
  const max = f.length ?? f.maxLength;
  const counted = type.builtin !== 'base64Binary' && type.builtin !== 'hexBinary';
  const allowed = f.enumeration ? new Set(f.enumeration.map((e) => normalise(e, type))) : undefined;
  const check = (text: string): string | undefined => {
    if (allowed && !allowed.has(text)) return `"${brief(text)}" is none of ${[...allowed].slice(0, 20).join(', ')}`;
    if (lexical && !lexical.test(text)) return `"${brief(text)}" is not ${lexical.words}`;
    if (counted && (min !== undefined || max !== undefined)) {
      const n = lengthOf(text);
      if (min !== undefined && n < min) return `"${brief(text)}" is shorter than ${min} characters`;
      if (max !== undefined && n > max) return `"${brief(text)}" is longer than ${max} characters`;
    }
    return undefined;
  };
  const free = !allowed && !lexical && (!counted || (min === undefined && max === undefined));
  return {
    read(text) {
      const t = normalise(text, type);
      if (free) return t;
      const words = check(t);
      return words ? new Misfit(words) : t;
    },
    write(value) {
      if (typeof value !== 'string') return new Misfit(`${show(value)} is not text`);
      if (hasForbidden(value)) return new Misfit('the text holds a control character that XML cannot carry');
      const words = free ? undefined : check(normalise(value, type));
      return words ? new Misfit(words) : value;
    },
  };
}

/** Characters as XML counts them: a surrogate pair is one. */
function lengthOf(text: string): number {
  let n = text.length;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c >= 0xd800 && c < 0xdc00) n--;
  }
  return n;
}

function listCodec(type: SimpleType): SimpleCodec {
  const item = simpleCodec(type.item!);
  return {
    read(text) {
      const t = collapse(text);
      const out: unknown[] = [];
      if (t === '') return out;
      for (const part of t.split(' ')) {
        const v = item.read(part);
        if (v instanceof Misfit) return v;
        out.push(v);
      }
      return out;
    },
    write(value) {
      if (!Array.isArray(value)) return new Misfit(`${show(value)} is not a list`);
      const parts: string[] = [];
      for (const v of value) {
        const t = item.write(v);
        if (t instanceof Misfit) return t;
        if (t === '' || /\s/.test(t)) return new Misfit('an item of an XML list cannot be empty or hold white space');
        parts.push(t);
      }
      return parts.join(' ');
    },
  };
}

function unionCodec(type: SimpleType): SimpleCodec {
  const members = type.members!.map(simpleCodec);
  return {
    read(text) {
      for (const m of members) {
        const v = m.read(text);
        if (!(v instanceof Misfit)) return v;
      }
      return new Misfit(`"${brief(text)}" fits no member of the union`);
    },
    write(value) {
      for (const m of members) {
        const t = m.write(value);
        if (!(t instanceof Misfit)) return t;
      }
      return new Misfit(`${show(value)} fits no member of the union`);
    },
  };
}

function brief(text: string): string {
  return text.length > 60 ? `${text.slice(0, 57)}…` : text;
}

export function show(value: unknown): string {
  if (value === null) return 'null';
  if (Array.isArray(value)) return 'a list';
  if (value instanceof Digits) return value.text;
  if (typeof value === 'object') return 'an object';
  return typeof value === 'string' ? `"${brief(value)}"` : String(value);
}
