import { numberFromText } from '../message/digits';
import { objectOf } from './tree';
import { refName, typesOf, type JsonSchema, type TypeTable } from './types';

/** Makes one value that the schema allows, the same every time. Optional properties are included where the depth allows. */
export function sampleOf(
  schema: JsonSchema,
  types: TypeTable,
  options: { optional?: boolean; name?: string } = {},
): unknown {
  return make(schema, types, options.name ?? '', new Map(), options.optional ?? true);
}

/** A recursive type is opened twice at most, then left out. */
const REPEATS = 2;

function make(
  schema: JsonSchema,
  types: TypeTable,
  name: string,
  open: Map<string, number>,
  optional: boolean,
): unknown {
  if (schema.examples?.length) return schema.examples[0];
  if (schema.default !== undefined) return schema.default;
  if (schema.const !== undefined) return schema.const;
  if (schema.enum?.length) return schema.enum[0];
  const ref = refName(schema);
  if (ref !== undefined) {
    const n = open.get(ref) ?? 0;
    const target = types[ref];
    if (!target || n >= REPEATS) return undefined;
    open.set(ref, n + 1);
    const value = make(target, types, name || ref, open, optional);
    open.set(ref, n);
    return value;
  }
  if (schema.anyOf?.length)
    return make(
      schema.anyOf.find((s) => !typesOf(s).includes('null')) ?? schema.anyOf[0]!,
      types,
      name,
      open,
      optional,
    );
  const type =
    typesOf(schema).find((t) => t !== 'null') ?? (schema.properties ? 'object' : schema.items ? 'array' : undefined);
  if (schema.allOf?.some((a) => refName(a) !== undefined || a.properties))
    return makeObject(objectOf(schema, types) ?? schema, types, open, optional);
  if (type === undefined && schema.oneOf?.length) return make(schema.oneOf[0]!, types, name, open, optional);
  switch (type) {
    case 'object':
      return makeObject(schema, types, open, optional);
    case 'array': {
      const n = Math.max(1, schema.minItems ?? 0);
      if (schema.maxItems === 0) return [];
      const item = schema.items ? make(schema.items, types, name, open, optional) : undefined;
      return item === undefined ? [] : Array.from({ length: Math.min(n, 50) }, () => item);
    }
    case 'boolean':
      return true;
    case 'integer':
    case 'number':
      return makeNumber(schema, type);
    case 'string':
      return makeString(schema, name);
    default:
      return typesOf(schema)[0] === 'null' ? null : undefined;
  }
}

function makeObject(
  schema: JsonSchema,
  types: TypeTable,
  open: Map<string, number>,
  optional: boolean,
): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  const choice = [
    ...(schema.oneOf ? [schema.oneOf] : []),
    ...(schema.allOf ?? []).flatMap((s) => (s.oneOf ? [s.oneOf] : [])),
  ];
  const excluded = new Set(choice.flatMap((options) => options.slice(1).flatMap((o) => o.required ?? [])));
  const chosen = new Set(choice.flatMap((options) => options[0]?.required ?? []));
  for (const [key, property] of Object.entries(schema.properties ?? {})) {
    if (excluded.has(key) && !chosen.has(key)) continue;
    const needed = schema.required?.includes(key) || chosen.has(key);
    if (!needed && !optional) continue;
    const value = make(property, types, key, open, optional);
    if (value !== undefined) out[key] = value;
  }
  return out;
}

function makeNumber(s: JsonSchema, type: 'integer' | 'number'): unknown {
  const low = s.minimum ?? (s.exclusiveMinimum !== undefined ? s.exclusiveMinimum + 1 : undefined);
  const high =
    s.maximum ?? (s.exclusiveMaximum !== undefined ? s.exclusiveMaximum - (type === 'integer' ? 1 : 0.5) : undefined);
  const wish = type === 'integer' ? 1 : 1.5;
  let n = wish;
  if (low !== undefined && n < low) n = low;
  if (high !== undefined && n > high) n = high;
  if (s.multipleOf) n = Math.ceil(n / s.multipleOf) * s.multipleOf;
  return numberFromText(String(n));
}

const BY_FORMAT: Record<string, string> = {
  'date-time': '2026-12-04T05:30:00+01:00',
  date: '2026-12-04',
  time: '05:30:00Z',
  uuid: '6b1f0f6e-2f0c-4e0a-9d59-2f5a3a1c7d10',
  email: 'agent@tarnhaven.example',
  uri: 'https://tarnhaven.example/',
};

function makeString(s: JsonSchema, name: string): string {
  if (s.format && BY_FORMAT[s.format]) return BY_FORMAT[s.format]!;
  if (s.contentEncoding === 'base64') return 'AQID';
  if (s.title && s.title in XSD_SAMPLES) return XSD_SAMPLES[s.title]!;
  if (s.pattern) {
    const made = fromPattern(s.pattern);
    if (made !== undefined && new RegExp(s.pattern, 'u').test(made)) return made;
  }
  let text = name || 'text';
  if (s.minLength !== undefined) while (text.length < s.minLength) text += text;
  if (s.maxLength !== undefined) text = text.slice(0, s.maxLength);
  return text;
}

/** XSD types that have no JSON Schema format of their own carry their name as the title. */
export const XSD_SAMPLES: Record<string, string> = {
  'xs:dateTime': '2026-12-04T05:30:00+01:00',
  'xs:date': '2026-12-04',
  'xs:time': '05:30:00',
  'xs:duration': 'P2D',
  'xs:gYear': '2026',
  'xs:gYearMonth': '2026-12',
  'xs:gMonthDay': '--12-04',
  'xs:gDay': '---04',
  'xs:gMonth': '--12',
  'xs:hexBinary': '0A0B',
  'xs:anyURI': 'https://tarnhaven.example/',
  'xs:language': 'en',
};

/** One text that a simple anchored pattern allows: literals, classes, counts, first alternative. Else undefined. */
export function fromPattern(pattern: string): string | undefined {
  const inner = /^\^(?:\(\?:)?(.*?)\)?\$$/.exec(pattern)?.[1];
  if (inner === undefined) return undefined;
  const source = pattern.startsWith('^(?:') ? pattern.slice(4, -2) : pattern.slice(1, -1);
  let out = '';
  let i = 0;
  const alternative = (): string | undefined => {
    out = '';
    while (i < source.length) {
      const c = source[i]!;
      let piece: string;
      if (c === '|') break;
      if (c === '[') {
        const end = source.indexOf(']', i + 2);
        if (end < 0 || source[i + 1] === '^') return undefined;
        const first = source.slice(i + 1, end).replace(/^\\/, '');
        piece = first.startsWith('d') && source[i + 1] === '\\' ? '1' : first[0]!;
        i = end + 1;
      } else if (c === '\\') {
        const next = source[i + 1]!;
        piece = next === 'd' ? '1' : next === 's' ? ' ' : next;
        i += 2;
      } else if ('()^$*+?{}.'.includes(c)) {
        if (c !== '.') return undefined;
        piece = 'a';
        i++;
      } else {
        piece = c;
        i++;
      }
      const count = /^(?:\{(\d+)(?:,(\d*))?\}|([*+?]))/.exec(source.slice(i));
      let n = 1;
      if (count) {
        n =
          count[1] !== undefined
            ? Math.max(Number(count[1]), count[2] === undefined ? 0 : Math.min(1, Number(count[2] || 1)))
            : 1;
        i += count[0].length;
      }
      out += piece.repeat(Math.min(n, 200));
    }
    return out;
  };
  return alternative();
}
