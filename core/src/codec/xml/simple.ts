import { jsonKind, lexicalForm, type SimpleType } from '../../contract/xsd';
import { Digits, isNumber, numberFromText } from '../../message/digits';
import { hasForbidden } from '../../xml';
import { itemsRule, normalise, numberForms, textRule, withEnumeration, withPatterns } from './facets';
import { compareDecimals, jsonNumberText, numberCodec } from './numbers';
import { brief, collapse, Misfit, show, type SimpleCodec } from './simple-values';

export { compareDecimals, jsonNumberText, Misfit, show, type SimpleCodec };

const codecs = new WeakMap<SimpleType, SimpleCodec>();

export function simpleCodec(type: SimpleType): SimpleCodec {
  let codec = codecs.get(type);
  if (!codec) {
    // Of one form, whatever made it: who calls them by the thousand finds their members at one place.
    const { read, write } = oneText(type, makeCodec(type));
    codec = { read, write };
    codecs.set(type, codec);
  }
  return codec;
}

/** Of the texts of the one value that a type has (`fixed`) the one that its schema gives: what others compare as text fits too. */
function oneText(type: SimpleType, codec: SimpleCodec): SimpleCodec {
  const [text, ...more] = type.facets.enumeration ?? [];
  const value = text === undefined || more.length ? undefined : codec.read(text);
  if (text === undefined || value === undefined || value instanceof Misfit) return codec;
  const written = codec.write(value);
  const copy = (): typeof value => (Array.isArray(value) ? ([...(value as unknown[])] as typeof value) : value);
  return {
    ...codec,
    read(given) {
      const found = codec.read(given);
      return found instanceof Misfit ? found : copy();
    },
    write(given) {
      const found = codec.write(given);
      return found instanceof Misfit ? found : written;
    },
  };
}

function makeCodec(type: SimpleType): SimpleCodec {
  if (type.variety === 'list') return withPatterns(type, withEnumeration(type, listCodec(type)));
  if (type.variety === 'union')
    return withPatterns(type, withEnumeration(type, unionCodec(type)), (t) => [collapse(t)]);
  switch (jsonKind(type.builtin)) {
    case 'boolean':
      return withPatterns(type, withEnumeration(type, booleanCodec()), (t) => [t === 'true' ? '1' : '0']);
    case 'integer':
      return withPatterns(type, numberCodec(type, /^[+-]?\d+$/, 'a whole number'), numberForms);
    case 'decimal':
      return withPatterns(type, numberCodec(type, /^[+-]?(\d+(\.\d*)?|\.\d+)$/, 'a decimal number'), numberForms);
    case 'float':
      return withPatterns(type, withEnumeration(type, floatCodec(type)), numberForms);
    case 'string':
      return withPatterns(type, stringCodec(type));
  }
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
  const lexical = lexicalForm(type.builtin);
  const rule = textRule(type);
  const check = (text: string): string | undefined =>
    lexical && !lexical.test(text) ? `"${brief(text)}" is not ${lexical.words}` : rule?.(text);
  const free = !lexical && !rule;
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

function listCodec(type: SimpleType): SimpleCodec {
  const item = simpleCodec(type.item!);
  const rule = itemsRule(type.facets);
  return {
    read(text) {
      const t = collapse(text);
      const out: unknown[] = [];
      for (const part of t === '' ? [] : t.split(' ')) {
        const v = item.read(part);
        if (v instanceof Misfit) return v;
        out.push(v);
      }
      const words = rule(out);
      return words ? new Misfit(words) : out;
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
      const words = rule(parts);
      return words ? new Misfit(words) : parts.join(' ');
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
