import { isNumber } from '../message/digits';
import type { JsonSchema } from './types';
import { ValidatorSet, type Validator } from './validate';

/** What may be said of a text besides that it is one: values that stood there, when they are few. */
export interface EnumOffer {
  /** RFC 6901 pointer into the schema's values, * for any item. */
  readonly pointer: string;
  readonly values: readonly string[];
}

export interface Inferred {
  readonly schema: JsonSchema;
  /** Texts that look like enumerations: few values, seen often. Offered, never assumed. */
  readonly enums: readonly EnumOffer[];
}

/** Formats that are told from texts; all samples must fit. The order says which is tried first. */
const FORMATS = ['date-time', 'date', 'time', 'uuid', 'email'] as const;
const MOST_DEPTH = 60;
const MOST_VALUES = 8;
const MOST_ENUM = 6;

const judge = new ValidatorSet({});
const fits = FORMATS.map((format) => [format, judge.compile({ type: 'string', format })] as const);

interface Seen {
  count: number;
  nulls: number;
  booleans: number;
  integers: number;
  numbers: number;
  texts: number;
  objects: number;
  arrays: number;
  formats: Set<string>;
  values: Set<string>;
  properties: Map<string, Seen>;
  items?: Seen;
}

const fresh = (): Seen => ({
  count: 0,
  nulls: 0,
  booleans: 0,
  integers: 0,
  numbers: 0,
  texts: 0,
  objects: 0,
  arrays: 0,
  formats: new Set(FORMATS),
  values: new Set(),
  properties: new Map(),
});

/**
 * A JSON Schema that all samples fit: types, formats, required where no sample lacks it, null where one had it, objects left open. Nothing is
 * guessed beyond what stood there; no sample gives the empty schema.
 */
export function inferSchema(samples: readonly unknown[]): Inferred {
  const root = fresh();
  for (const s of samples) look(s, root, 0);
  const enums: EnumOffer[] = [];
  return { schema: samples.length ? schemaOf(root, '', enums) : {}, enums };
}

function look(v: unknown, seen: Seen, depth: number): void {
  seen.count++;
  if (depth > MOST_DEPTH) return;
  if (v === null || v === undefined) seen.nulls++;
  else if (typeof v === 'boolean') seen.booleans++;
  else if (isNumber(v)) {
    if (/^-?\d+$/.test(String(v))) seen.integers++;
    else seen.numbers++;
  } else if (typeof v === 'string') {
    seen.texts++;
    for (const [format, validate] of fits)
      if (seen.formats.has(format) && fails(validate, v)) seen.formats.delete(format);
    if (seen.values.size <= MOST_VALUES) seen.values.add(v);
  } else if (Array.isArray(v)) {
    seen.arrays++;
    const items = (seen.items ??= fresh());
    for (const x of v) look(x, items, depth + 1);
  } else {
    seen.objects++;
    for (const [k, x] of Object.entries(v as object)) {
      let p = seen.properties.get(k);
      if (!p) seen.properties.set(k, (p = fresh()));
      look(x, p, depth + 1);
    }
  }
}

function fails(validate: Validator, v: unknown): boolean {
  let bad = false;
  validate(v, '', () => {
    bad = true;
  });
  return bad;
}

function schemaOf(s: Seen, pointer: string, enums: EnumOffer[]): JsonSchema {
  const variants: JsonSchema[] = [];
  if (s.objects) {
    const properties = Object.fromEntries(
      [...s.properties].map(([k, p]) => [
        k,
        schemaOf(p, `${pointer}/${k.replace(/~/g, '~0').replace(/\//g, '~1')}`, enums),
      ]),
    );
    const required = [...s.properties].filter(([, p]) => p.count >= s.objects).map(([k]) => k);
    variants.push({ type: 'object', properties, ...(required.length && { required }) });
  }
  if (s.arrays) variants.push({ type: 'array', items: s.items?.count ? schemaOf(s.items, `${pointer}/*`, enums) : {} });
  if (s.texts) {
    const format = FORMATS.find((f) => s.formats.has(f));
    variants.push({ type: 'string', ...(format && { format }) });
    const values = [...s.values];
    if (
      !format &&
      s.texts >= 3 &&
      values.length <= MOST_ENUM &&
      values.length < s.texts &&
      values.every((v) => /^[\w .-]{1,40}$/.test(v))
    )
      enums.push({ pointer, values: values.sort() });
  }
  if (s.numbers) variants.push({ type: 'number' });
  else if (s.integers) variants.push({ type: 'integer' });
  if (s.booleans) variants.push({ type: 'boolean' });
  return nullable(variants, s.nulls > 0);
}

function nullable(variants: readonly JsonSchema[], withNull: boolean): JsonSchema {
  if (!variants.length) return withNull ? { type: 'null' } : {};
  if (variants.length === 1) {
    const [only] = variants as [JsonSchema];
    return withNull ? { ...only, type: [only.type as 'string', 'null'] } : only;
  }
  return { anyOf: [...variants, ...(withNull ? [{ type: 'null' as const }] : [])] };
}

/** The schema with an enumeration that was offered. */
export function takeEnum(schema: JsonSchema, offer: EnumOffer): JsonSchema {
  const [head, ...rest] = offer.pointer.split('/').slice(1);
  if (head === undefined)
    return {
      ...schema,
      enum: [...offer.values, ...(Array.isArray(schema.type) && schema.type.includes('null') ? [null] : [])],
    };
  const inner = { ...offer, pointer: rest.map((p) => `/${p}`).join('') };
  if (head === '*' && schema.items) return { ...schema, items: takeEnum(schema.items, inner) };
  const name = head.replace(/~1/g, '/').replace(/~0/g, '~');
  const property = schema.properties?.[name];
  return property ? { ...schema, properties: { ...schema.properties, [name]: takeEnum(property, inner) } } : schema;
}
