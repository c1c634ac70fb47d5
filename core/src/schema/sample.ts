import { numberFromText } from '../message/digits';
import { isObject } from '../message/objects';
import { exampleOf, expressionMatcher } from '../pattern';
import { isMarked, replySide, replyTypes, requestSide, requestTypes, type Marked } from './sides';
import { objectOf } from './tree';
import { refName, resolveSchema, typesOf, type JsonSchema, type TypeTable } from './types';

export interface SampleOptions {
  readonly optional?: boolean;
  readonly name?: string;
  /** Members so marked stay out: `readOnly` for a request, `writeOnly` for a reply. */
  readonly without?: Marked;
}

/** Makes one value that the schema allows, the same every time. Optional properties are included where the depth allows. */
export function sampleOf(schema: JsonSchema, types: TypeTable, options: SampleOptions = {}): unknown {
  const sided = options.without === 'readOnly' ? requestSide : options.without === 'writeOnly' ? replySide : undefined;
  const table =
    options.without === 'readOnly' ? requestTypes : options.without === 'writeOnly' ? replyTypes : undefined;
  const how = { optional: options.optional ?? true, without: options.without };
  return make(sided ? sided(schema, types) : schema, table ? table(types) : types, options.name ?? '', new Map(), how);
}

interface How {
  readonly optional: boolean;
  readonly without?: Marked;
}

/** A recursive type is opened twice at most, then left out. */
const REPEATS = 2;

function make(schema: JsonSchema, types: TypeTable, name: string, open: Map<string, number>, how: How): unknown {
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
    const value = make(target, types, name || ref, open, how);
    open.set(ref, n);
    return value;
  }
  if (schema.anyOf?.length)
    return make(schema.anyOf.find((s) => !typesOf(s).includes('null')) ?? schema.anyOf[0]!, types, name, open, how);
  const type =
    typesOf(schema).find((t) => t !== 'null') ?? (schema.properties ? 'object' : schema.items ? 'array' : undefined);
  if (schema.allOf?.some((a) => refName(a) !== undefined || a.properties))
    return makeObject(objectOf(schema, types) ?? schema, types, open, how);
  if (type === undefined && schema.oneOf?.length) {
    const value = make(schema.oneOf[0]!, types, name, open, how);
    return isObject(value) ? formOf(schema, schema.oneOf[0]!, types, open, how) : value;
  }
  switch (type) {
    case 'object': {
      const made = makeObject(schema, types, open, how);
      // Nobody knows what its members are called.
      return Object.keys(made).length < (schema.minProperties ?? 0) ? undefined : made;
    }
    case 'array': {
      const first = (schema.prefixItems ?? []).map((s) => make(s, types, name, open, how) ?? {});
      const n = Math.min(Math.max(first.length ? 0 : 1, (schema.minItems ?? 0) - first.length), 50);
      if (schema.maxItems === 0) return [];
      const item = schema.items ? make(schema.items, types, name, open, how) : undefined;
      if (item === undefined || n === 0) return first.slice(0, schema.maxItems);
      const alike = resolveSchema(schema.items!, types);
      return [...first, ...Array.from({ length: n }, (_, i) => (schema.uniqueItems ? another(item, alike, i) : item))];
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
  how: How,
): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  const choice = [
    ...(schema.oneOf ? [schema.oneOf] : []),
    ...(schema.allOf ?? []).flatMap((s) => (s.oneOf ? [s.oneOf] : [])),
  ];
  const excluded = new Set(
    choice.flatMap(([first, ...others]) => [
      ...others.flatMap((o) => o.required ?? []),
      ...(first?.not?.anyOf ?? []).flatMap((o) => o.required ?? []),
    ]),
  );
  const chosen = new Set(choice.flatMap((options) => options[0]?.required ?? []));
  for (const [key, property] of Object.entries(schema.properties ?? {})) {
    if (excluded.has(key) && !chosen.has(key)) continue;
    const needed = schema.required?.includes(key) || chosen.has(key);
    if ((!needed && !how.optional) || (how.without && isMarked(property, types, how.without))) continue;
    const value = make(property, types, key, open, how) ?? (needed && isAnything(property) ? {} : undefined);
    if (value !== undefined) out[key] = value;
  }
  const form = (schema.oneOf ?? schema.anyOf)?.find((s) => hasMembers(s, types));
  if (form) Object.assign(out, formOf(schema, form, types, open, how));
  // Of too many those stay that must be there.
  const spare = Object.keys(out).filter((key) => !schema.required?.includes(key));
  for (let n = Object.keys(out).length; n > (schema.maxProperties ?? n) && spare.length; n--) delete out[spare.pop()!];
  return out;
}

/** The nth of items that must differ, where it is known how. */
function another(item: unknown, s: JsonSchema, n: number): unknown {
  if (n === 0) return item;
  if (s.enum) return s.enum[n % s.enum.length];
  if (typeof item === 'number') return item + n * (s.multipleOf ?? 1);
  const free = typeof item === 'string' && s.pattern === undefined && s.format === undefined;
  return free && item.length < (s.maxLength ?? Infinity) ? `${item}${n}` : item;
}

/** It has members of its own, and does not only say which must be there. */
const hasMembers = (s: JsonSchema, types: TypeTable): boolean =>
  refName(s) !== undefined || Boolean(objectOf(s, types)?.properties);

/** What one of several forms adds to what all have, with the name that tells it from the others. */
function formOf(
  { discriminator }: JsonSchema,
  form: JsonSchema,
  types: TypeTable,
  open: Map<string, number>,
  how: How,
): Record<string, unknown> {
  const value = make(form, types, '', open, how);
  if (!isObject(value)) return {};
  const { propertyName, mapping = {} } = discriminator ?? {};
  const label = Object.keys(mapping).find((key) => mapping[key] === form.$ref);
  return propertyName !== undefined && label !== undefined ? { ...value, [propertyName]: label } : value;
}

/** Nothing is said of what it holds. */
const isAnything = (s: JsonSchema): boolean =>
  ['type', '$ref', 'anyOf', 'oneOf', 'allOf', 'properties', 'items'].every((k) => !(k in s));

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
    const matches = expressionMatcher(s.pattern);
    const fits = (text: string) =>
      [...text].length >= (s.minLength ?? 0) &&
      [...text].length <= (s.maxLength ?? Infinity) &&
      matches?.(text) === 'match';
    for (const wish of [1, 0, s.minLength ?? 2, s.maxLength ?? 3]) {
      const made = exampleOf(s.pattern, Math.min(wish, 200));
      if (made !== undefined && fits(made)) return made;
    }
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
