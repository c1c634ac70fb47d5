import type { Facets, SimpleType } from '../../contract/xsd';
import { Digits, isNumber } from '../../message/digits';
import { PatternError, patternMatcher, type Matcher } from '../../pattern';
import { jsonNumberText, plainDecimal } from './numbers';
import { brief, collapse, firstBroken, Misfit, type Rule, type SimpleCodec } from './simple-values';
import { boundsRule, sameTime } from './times';

/** White space as the type's facet says (Part 2 §4.3.6). */
export function normalise(text: string, type: SimpleType): string {
  const mode = type.facets.whiteSpace;
  if (mode === 'collapse') return collapse(text);
  if (mode === 'replace') return text.replace(/[\t\n\r]/g, ' ');
  return text;
}

/** Patterns of all steps of derivation (Part 2 §4.3.4). One that cannot be read holds nothing; the check of the contract says so. */
function patternRule(f: Facets): Rule | undefined {
  const matchers: { source: string; matches: Matcher }[] = [];
  for (const source of f.patterns ?? []) {
    try {
      matchers.push({ source, matches: patternMatcher(source) });
    } catch (error) {
      if (!(error instanceof PatternError)) throw error;
    }
  }
  if (!matchers.length) return undefined;
  return (text) => {
    for (const { source, matches } of matchers) {
      const verdict = matches(text);
      if (verdict === 'mismatch') return `"${brief(text)}" does not match ${brief(source)}`;
      if (verdict === 'unknown') return `"${brief(text)}" is too much to hold against ${brief(source)}`;
    }
    return undefined;
  };
}

/**
 * A codec that holds patterns too. They judge the text, so of the texts that mean the same value (`forms`) the first that matches is
 * written: 7 is 007 where the pattern is [0-9]{3}.
 */
export function withPatterns(
  type: SimpleType,
  codec: SimpleCodec,
  forms: (text: string) => Iterable<string> = () => [],
): SimpleCodec {
  const rule = patternRule(type.facets);
  if (!rule) return codec;
  return {
    read(text) {
      const value = codec.read(text);
      if (value instanceof Misfit) return value;
      const words = rule(normalise(text, type));
      return words === undefined ? value : new Misfit(words);
    },
    write(value) {
      const text = codec.write(value);
      if (text instanceof Misfit) return text;
      const words = rule(normalise(text, type));
      if (words === undefined) return text;
      for (const form of forms(text)) if (rule(form) === undefined) return form;
      return new Misfit(words);
    },
  };
}

/** Texts of the same number: zeros at the end of a fraction, zeros in front, and both (Part 2 §3.2.3.1). */
export function* numberForms(text: string): Iterable<string> {
  const m = /^([+-]?)(\d+)(\.\d+)?$/.exec(text);
  if (!m) return;
  const [, sign = '', whole = '', fraction = ''] = m;
  const short = fraction.replace(/0+$/, '');
  const fractions = [fraction, ...(short.length > 1 ? [short] : fraction ? [''] : [])];
  for (let n = Math.max(1, short.length); n <= 12; n++) fractions.push((short || '.').padEnd(n + 1, '0'));
  for (const signed of sign === '' ? ['', '+'] : [sign])
    for (let zeros = 0; zeros <= 20; zeros++)
      for (const f of fractions) yield `${signed}${'0'.repeat(zeros)}${whole}${f}`;
}

/** What values of lists, unions and floats are compared by: numbers by what they are, whatever they look like. */
function keyOf(value: unknown): string {
  if (Array.isArray(value)) return value.map(keyOf).join(' ');
  if (!isNumber(value)) return String(value);
  const text = value instanceof Digits ? value.text : String(value);
  if (/[eE]/.test(text)) return String(Number(text));
  const plain = jsonNumberText(plainDecimal(text));
  return plain.includes('.') ? plain.replace(/\.?0+$/, '') : plain;
}

/** A codec that lets in only what the type names (Part 2 §4.3.5). Values are compared, not texts. */
export function withEnumeration(type: SimpleType, codec: SimpleCodec): SimpleCodec {
  const named = type.facets.enumeration;
  if (!named) return codec;
  const allowed = new Set(named.map((e) => keyOf(codec.read(e))));
  const words = `none of ${named.slice(0, 20).map(collapse).join(', ')}`;
  return {
    read(text) {
      const value = codec.read(text);
      if (value instanceof Misfit || allowed.has(keyOf(value))) return value;
      return new Misfit(`"${brief(collapse(text))}" is ${words}`);
    },
    write(value) {
      const text = codec.write(value);
      if (text instanceof Misfit || allowed.has(keyOf(codec.read(text)))) return text;
      return new Misfit(`"${brief(text)}" is ${words}`);
    },
  };
}

/** Length of binary types is that of the bytes they stand for (Part 2 §4.3.1). */
const COUNTS: Readonly<Record<string, ((text: string) => number) | undefined>> = {
  hexBinary: (text) => text.length / 2,
  base64Binary: (text) => Math.floor((text.replace(/[\s=]/g, '').length * 3) / 4),
};

/** Characters as XML counts them: a surrogate pair is one. */
function lengthOf(text: string): number {
  let n = text.length;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (c >= 0xd800 && c < 0xdc00) n--;
  }
  return n;
}

/** length, minLength and maxLength of a text (Part 2 §4.3.1 to §4.3.3). QName and NOTATION have none (erratum E2-36). */
function lengthRule(type: SimpleType): Rule | undefined {
  const f = type.facets;
  const min = f.length ?? f.minLength;
  const max = f.length ?? f.maxLength;
  if ((min === undefined && max === undefined) || type.builtin === 'QName' || type.builtin === 'NOTATION')
    return undefined;
  const count = COUNTS[type.builtin] ?? lengthOf;
  const unit = count === lengthOf ? 'characters' : 'bytes';
  return (text) => {
    const n = count(text);
    if (min !== undefined && n < min) return `"${brief(text)}" is shorter than ${min} ${unit}`;
    if (max !== undefined && n > max) return `"${brief(text)}" is longer than ${max} ${unit}`;
    return undefined;
  };
}

/** Items of a list (Part 2 §4.3.1 to §4.3.3). */
export function itemsRule(f: Facets): (items: readonly unknown[]) => string | undefined {
  const min = f.length ?? f.minLength ?? 0;
  const max = f.length ?? f.maxLength ?? Infinity;
  return ({ length }) => {
    if (length < min) return `a list of ${length} is shorter than ${min} ${min === 1 ? 'item' : 'items'}`;
    if (length > max) return `a list of ${length} is longer than ${max} ${max === 1 ? 'item' : 'items'}`;
    return undefined;
  };
}

function enumerationRule(type: SimpleType): Rule | undefined {
  const named = type.facets.enumeration?.map((e) => normalise(e, type));
  if (!named) return undefined;
  const allowed = new Set(named);
  const { builtin } = type;
  return (text) =>
    allowed.has(text) || named.some((e) => sameValue(builtin, e, text))
      ? undefined
      : `"${brief(text)}" is none of ${named.slice(0, 20).join(', ')}`;
}

/** Whether two texts mean the same value of a type that is carried as text. */
function sameValue(builtin: string, a: string, b: string): boolean {
  if (builtin === 'hexBinary') return a.toLowerCase() === b.toLowerCase();
  if (builtin === 'base64Binary') return a.replace(/ /g, '') === b.replace(/ /g, '');
  return sameTime(builtin, a, b);
}

/** All facets of a type carried as text but its patterns; undefined where it has none. */
export function textRule(type: SimpleType): Rule | undefined {
  return firstBroken([enumerationRule(type), lengthRule(type), boundsRule(type)].filter((r) => r !== undefined));
}
