import { objectOf } from './tree';
import { resolveSchema, type JsonSchema, type TypeTable } from './types';

/** `readOnly` says that a member is the reply's alone, `writeOnly` the request's (OpenAPI 3.0.3 §4.7.24.2; 3.1 by JSON Schema Validation §9.4). */
export type Marked = 'readOnly' | 'writeOnly';

/**
 * Schemas as they hold for requests: members that only replies have may be left out though they are called required. They may be there too
 * (they "SHOULD NOT be sent"). The same schema where nothing changes, and always the same for the same schema.
 */
export const requestSide = <S extends JsonSchema | undefined>(schema: S, types: TypeTable): S =>
  schema && (sided(schema, types, 'readOnly') as S);
export const requestTypes = (types: TypeTable): TypeTable => sidedTypes(types, 'readOnly');

/** Schemas as they hold for replies: members that only requests have may be left out. */
export const replySide = <S extends JsonSchema | undefined>(schema: S, types: TypeTable): S =>
  schema && (sided(schema, types, 'writeOnly') as S);
export const replyTypes = (types: TypeTable): TypeTable => sidedTypes(types, 'writeOnly');

const TABLES = { readOnly: new WeakMap<TypeTable, TypeTable>(), writeOnly: new WeakMap<TypeTable, TypeTable>() };
const SCHEMAS = { readOnly: new WeakMap<JsonSchema, JsonSchema>(), writeOnly: new WeakMap<JsonSchema, JsonSchema>() };

function sidedTypes(types: TypeTable, mark: Marked): TypeTable {
  let out = TABLES[mark].get(types);
  if (out) return out;
  let changed = false;
  out = {};
  for (const [name, schema] of Object.entries(types)) {
    out[name] = sided(schema, types, mark);
    changed ||= out[name] !== schema;
  }
  if (!changed) out = types;
  TABLES[mark].set(types, out);
  return out;
}

const ONE = [
  'items',
  'additionalProperties',
  'not',
  'if',
  'then',
  'else',
  'contains',
  'unevaluatedProperties',
  'unevaluatedItems',
] as const;
const MANY = ['allOf', 'anyOf', 'oneOf', 'prefixItems'] as const;

function sided(schema: JsonSchema, types: TypeTable, mark: Marked, around?: ReadonlySet<string>): JsonSchema {
  const known = around ? undefined : SCHEMAS[mark].get(schema);
  if (known) return known;
  let out = schema;
  const set = (key: string, value: unknown): void => {
    if (out === schema) out = { ...schema };
    (out as Record<string, unknown>)[key] = value;
  };
  const marked = schema.required || schema.allOf || around ? markedIn(schema, types, mark, around) : undefined;
  const required = marked?.size ? schema.required?.filter((name) => !marked.has(name)) : schema.required;
  if (required?.length !== schema.required?.length) set('required', required);
  for (const key of ONE) {
    const inner = schema[key];
    if (inner === undefined || typeof inner === 'boolean') continue;
    const next = sided(inner, types, mark);
    if (next !== inner) set(key, next);
  }
  for (const key of MANY) {
    const list = schema[key];
    // What a part demands may be a member that another part marks.
    const next = list?.map((s) => sided(s, types, mark, key === 'allOf' && marked?.size ? marked : undefined));
    if (next?.some((s, i) => s !== list![i])) set(key, next);
  }
  for (const key of ['properties', 'patternProperties'] as const) {
    const map = schema[key];
    if (!map) continue;
    const next = Object.fromEntries(Object.entries(map).map(([n, s]) => [n, sided(s, types, mark)]));
    if (Object.keys(map).some((n) => next[n] !== map[n])) set(key, next);
  }
  if (!around) SCHEMAS[mark].set(schema, out);
  return out;
}

function markedIn(schema: JsonSchema, types: TypeTable, mark: Marked, around?: ReadonlySet<string>): Set<string> {
  const out = new Set(around);
  const properties = { ...objectOf(schema, types)?.properties, ...schema.properties };
  for (const [name, s] of Object.entries(properties)) if (isMarked(s, types, mark)) out.add(name);
  return out;
}

/** By itself or by what it refers to. */
export const isMarked = (schema: JsonSchema, types: TypeTable, mark: Marked): boolean =>
  schema[mark] === true || resolveSchema(schema, types)[mark] === true;
