import { refName, type JsonSchema, type TypeTable } from '../schema';

/** Schemas that refer to types of several tables, brought together in one: where two tables say a name differently, one gets another. */
export function localTypes() {
  const table: Record<string, JsonSchema> = {};
  const names = new Map<JsonSchema, string>();
  const take = (schema: JsonSchema, types: TypeTable): JsonSchema => copy(schema, types) as JsonSchema;
  const copy = (node: unknown, types: TypeTable): unknown => {
    if (Array.isArray(node)) return node.map((x) => copy(x, types));
    if (node === null || typeof node !== 'object') return node;
    const out: Record<string, unknown> = {};
    for (const [k, v] of Object.entries(node)) out[k] = copy(v, types);
    const name = refName(node);
    if (name !== undefined) out.$ref = `#/types/${nameFor(name, types)}`;
    return out;
  };
  const nameFor = (name: string, types: TypeTable): string => {
    const schema = types[name];
    if (!schema) return name;
    const known = names.get(schema);
    if (known !== undefined) return known;
    let free = name;
    for (let n = 2; Object.hasOwn(table, free); n++) free = `${name}_${n}`;
    names.set(schema, free);
    // Held before its content is copied: recursive types end here.
    table[free] = {};
    table[free] = copy(schema, types) as JsonSchema;
    return free;
  };
  return { table: table as TypeTable, take };
}
