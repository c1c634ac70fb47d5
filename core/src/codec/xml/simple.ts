import { jsonKind, lexicalForm, patternToRegExp, type SimpleType } from '../../contract/xsd';
import { Digits, isNumber, numberFromText } from '../../message/digits';
import { hasForbidden } from '../../xml';
import { compareDecimals, jsonNumberText, numberCodec } from './numbers';
import { brief, collapse, Misfit, show, type SimpleCodec } from './simple-values';

export { compareDecimals, jsonNumberText, Misfit, show, type SimpleCodec };

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
  const count = COUNTS[type.builtin] ?? lengthOf;
  // Those that a backtracking engine can be kept busy with are left to the backend.
  const patterns = (f.patterns ?? []).flatMap((source) => {
    const made = patternToRegExp(source, true);
    return made === undefined ? [] : [{ source, whole: new RegExp(made, 'u') }];
  });
  const allowed = f.enumeration ? new Set(f.enumeration.map((e) => normalise(e, type))) : undefined;
  const check = (text: string): string | undefined => {
    if (allowed && !allowed.has(text)) return `"${brief(text)}" is none of ${[...allowed].slice(0, 20).join(', ')}`;
    if (lexical && !lexical.test(text)) return `"${brief(text)}" is not ${lexical.words}`;
    if (min !== undefined || max !== undefined) {
      const n = count(text);
      const unit = count === lengthOf ? 'characters' : 'bytes';
      if (min !== undefined && n < min) return `"${brief(text)}" is shorter than ${min} ${unit}`;
      if (max !== undefined && n > max) return `"${brief(text)}" is longer than ${max} ${unit}`;
    }
    for (const { source, whole } of patterns) if (!whole.test(text)) return `"${brief(text)}" does not match ${source}`;
    return undefined;
  };
  const free = !allowed && !lexical && !patterns.length && min === undefined && max === undefined;
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
