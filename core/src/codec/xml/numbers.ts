import { jsonKind, type SimpleType } from '../../contract/xsd';
import { Digits, isNumber, numberFromText } from '../../message/digits';
import { brief, collapse, firstBroken, Misfit, show, type Rule, type SimpleCodec } from './simple-values';

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

export function numberCodec(type: SimpleType, lexical: RegExp, words: string): SimpleCodec {
  const rule = numberRule(type);
  const wholeOnly = jsonKind(type.builtin) === 'integer';
  const check = (text: string): string | Misfit => {
    if (!lexical.test(text)) return new Misfit(`"${brief(text)}" is not ${words}`);
    const broken = rule(text);
    return broken ? new Misfit(broken) : text;
  };
  const small = smallRule(type);
  const short = wholeOnly ? undefined : shortRule(type);
  return {
    read(text) {
      // Up to nine digits with nothing to drop: a double holds them, and most bounds are plain comparisons.
      if (small !== undefined && SMALL.test(text)) {
        const n = Number(text);
        if (n >= small.min && n <= small.max) return n;
      }
      if (short !== undefined) {
        const n = shortDecimal(text);
        if (n >= short.min && n <= short.max && n > short.above && n < short.below && fraction <= short.fraction)
          return text.charCodeAt(text.length - 1) === 48 ? new Digits(text) : n;
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
  if (f.enumeration || f.totalDigits !== undefined) return undefined;
  const low = [f.minInclusive, f.minExclusive].filter((v) => v !== undefined).map(Number);
  const high = [f.maxInclusive, f.maxExclusive].filter((v) => v !== undefined).map(Number);
  const min = Math.max(-999_999_999, ...low.map((v) => Math.ceil(v) + (f.minExclusive === undefined ? 0 : 1)));
  const max = Math.min(999_999_999, ...high.map((v) => Math.floor(v) - (f.maxExclusive === undefined ? 0 : 1)));
  return { min, max };
}

/** Digits behind the point that count (Part 2 §4.3.12), in what was read last: without zeros at the end. */
let fraction = 0;
const TENS = [1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7];

/**
 * A decimal as JSON wants it of one to eight digits before the point and one to seven behind it; NaN for anything else.
 * A double tells any two of them apart, and the quotient of two whole numbers that a double holds is the one that is
 * nearest to what is written (IEEE 754). Those that begin .00000 are left out: JavaScript would write 1e-7 for one.
 */
export function shortDecimal(text: string): number {
  const { length } = text;
  const from = text.charCodeAt(0) === 45 ? 1 : 0;
  if (length > 17) return NaN;
  let digits = 0;
  let i = from;
  let c = 0;
  for (; i < length; i++) {
    c = text.charCodeAt(i) - 48;
    if (c < 0 || c > 9) break;
    digits = digits * 10 + c;
  }
  const point = i;
  const scale = length - point - 1;
  if (c !== -2 || point === from || point - from > 8 || scale < 1 || scale > 7) return NaN;
  if (point - from > 1 && text.charCodeAt(from) === 48) return NaN;
  let first = 0;
  fraction = 0;
  for (i++; i < length; i++) {
    c = text.charCodeAt(i) - 48;
    if (c < 0 || c > 9) return NaN;
    digits = digits * 10 + c;
    if (c === 0) continue;
    fraction = i - point;
    if (first === 0) first = fraction;
  }
  if (scale >= 5 && (first === 0 || first > 5)) return NaN;
  const n = digits / TENS[scale]!;
  return from === 1 ? -n : n;
}

interface ShortRule {
  readonly min: number;
  readonly max: number;
  readonly above: number;
  readonly below: number;
  readonly fraction: number;
}

/** Bounds and digits of a decimal type as doubles, where nothing else limits it and they are short themselves. */
function shortRule(type: SimpleType): ShortRule | undefined {
  const f = type.facets;
  if (f.enumeration || f.totalDigits !== undefined) return undefined;
  if ([f.minInclusive, f.maxInclusive, f.minExclusive, f.maxExclusive].some((v) => v !== undefined && v.length > 15))
    return undefined;
  return {
    min: Number(f.minInclusive ?? -Infinity),
    max: Number(f.maxInclusive ?? Infinity),
    above: Number(f.minExclusive ?? -Infinity),
    below: Number(f.maxExclusive ?? Infinity),
    fraction: f.fractionDigits ?? Infinity,
  };
}

/** xs:decimal knows no exponent (Part 2 §3.2.3.1): 1e-7 is written 0.0000001. */
export function plainDecimal(text: string): string {
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

function numberRule(type: SimpleType): Rule {
  const f = type.facets;
  const rules: Rule[] = [];
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
  return firstBroken(rules) ?? (() => undefined);
}
