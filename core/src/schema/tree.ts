import { ruleWords } from './rules';
import { refName, resolveSchema, typesOf, type JsonSchema, type TypeTable } from './types';

/** One row of a type shown as a tree: for screens, completion and mapping. */
export interface TypeRow {
  readonly pointer: string;
  readonly name: string;
  readonly depth: number;
  /** In words: "string", "number", "list of Berth", "one of 3". */
  readonly words: string;
  readonly required: boolean;
  readonly many: boolean;
  readonly nullable: boolean;
  readonly leaf: boolean;
  readonly description?: string;
  readonly values?: readonly unknown[];
  /** What it asks of a value besides its type, in words. */
  readonly rules?: string;
  /** Set where the type stands inside itself; its rows are not repeated. */
  readonly recursive?: boolean;
}

/** Rows in document order. Items of lists have the pointer of the list followed by `/*`. At most `limit` rows. */
export function typeRows(schema: JsonSchema, types: TypeTable, limit = 2000): TypeRow[] {
  const rows: TypeRow[] = [];
  const children = (s: JsonSchema, pointer: string, depth: number, open: readonly string[]): void => {
    const r = resolveSchema(s, types);
    const object = objectOf(r, types);
    if (!object?.properties) return;
    for (const [name, property] of Object.entries(object.properties)) {
      if (rows.length >= limit) return;
      row(
        name,
        property,
        `${pointer}/${name.replace(/~/g, '~0').replace(/\//g, '~1')}`,
        depth,
        object.required?.includes(name) ?? false,
        open,
      );
    }
  };
  const row = (
    name: string,
    s: JsonSchema,
    pointer: string,
    depth: number,
    required: boolean,
    open: readonly string[],
  ): void => {
    const { inner, nullable } = withoutNull(s, types);
    const r = resolveSchema(inner, types);
    const many = typesOf(r).includes('array');
    const item = many ? withoutNull(r.items ?? {}, types).inner : inner;
    const itemName = refName(item);
    const recursive = itemName !== undefined && open.includes(itemName);
    const target = resolveSchema(item, types);
    const composite = objectOf(target, types)?.properties !== undefined;
    const side =
      (s.readOnly ?? r.readOnly) ? 'in replies only' : (s.writeOnly ?? r.writeOnly) ? 'in requests only' : '';
    const rules = [side, many ? ruleWords(r) : '', composite ? '' : ruleWords(target)].filter(Boolean).join('; ');
    rows.push({
      pointer,
      name,
      depth,
      words: (many ? 'list of ' : '') + words(item, types),
      required,
      many,
      nullable,
      leaf: !composite,
      description: s.description ?? r.description,
      ...(target.enum && { values: target.enum }),
      ...(rules && { rules }),
      ...(recursive && { recursive }),
    });
    if (composite && !recursive)
      children(item, many ? `${pointer}/*` : pointer, depth + 1, itemName === undefined ? open : [...open, itemName]);
  };
  const rootName = refName(schema);
  children(schema, '', 0, rootName === undefined ? [] : [rootName]);
  return rows;
}

/** An object's properties with those of every allOf part; of alternatives that a discriminator tells apart, the first. */
export function objectOf(s: JsonSchema, types: TypeTable, depth = 8): JsonSchema | undefined {
  if (depth === 0) return undefined;
  const parts = (s.allOf ?? [])
    .map((a) => objectOf(resolveSchema(a, types), types, depth - 1))
    .filter((a) => a?.properties);
  if (parts.length) {
    return {
      ...s,
      type: 'object',
      properties: Object.assign({}, ...parts.map((a) => a!.properties), s.properties) as Record<string, JsonSchema>,
      required: [...new Set([...parts.flatMap((a) => a!.required ?? []), ...(s.required ?? [])])],
    };
  }
  if (s.properties) return s;
  const first = s.discriminator && s.oneOf?.[0];
  return first ? objectOf(resolveSchema(first, types), types, depth - 1) : undefined;
}

export function withoutNull(s: JsonSchema, types: TypeTable): { inner: JsonSchema; nullable: boolean } {
  const some = s.anyOf ?? resolveSchema(s, types).anyOf;
  if (some && some.length === 2 && some.some((o) => o.type === 'null'))
    return { inner: some.find((o) => o.type !== 'null')!, nullable: true };
  return { inner: s, nullable: typesOf(resolveSchema(s, types)).includes('null') };
}

function words(s: JsonSchema, types: TypeTable): string {
  const name = refName(s);
  const r = resolveSchema(s, types);
  if (r.enum) return `one of ${r.enum.length}`;
  const type = typesOf(r).find((t) => t !== 'null');
  if (type === 'object' && name) return name;
  if (type === 'array') return `list of ${words(r.items ?? {}, types)}`;
  const some = r.anyOf ?? (type === undefined ? r.oneOf : undefined);
  if (some) return some.length > 3 ? `one of ${some.length} forms` : some.map((o) => words(o, types)).join(' or ');
  if (r.title?.startsWith('xs:')) return r.title.slice(3);
  if (r.format) return r.format === 'int32' || r.format === 'int64' ? 'integer' : r.format;
  if (r.contentEncoding) return r.contentEncoding;
  return type ?? 'anything';
}

/** Where a discriminator tells several forms apart, each of them. */
function alternatives(s: JsonSchema, types: TypeTable): readonly JsonSchema[] {
  return s.discriminator && s.oneOf ? s.oneOf.map((o) => resolveSchema(o, types)) : [s];
}

/** The schema at a pointer into a value; `*` and numbers go into the items of a list. Undefined where nothing is known. */
export function schemaAt(schema: JsonSchema, types: TypeTable, parts: readonly string[]): JsonSchema | undefined {
  let at: JsonSchema = schema;
  for (const part of parts) {
    const r = resolveSchema(withoutNull(at, types).inner, types);
    if (typesOf(r).includes('array')) {
      if (!r.items) return undefined;
      at = r.items;
      if (/^(\*|\d+)$/.test(part)) continue;
    }
    const object = resolveSchema(withoutNull(at, types).inner, types);
    const next = alternatives(object, types)
      .map((o) => objectOf(o, types)?.properties?.[part])
      .find((o) => o !== undefined);
    if (!next) return undefined;
    at = next;
  }
  return at;
}
