import type { FlowDocument, OperationDocument } from '../flow/document';
import { writeJson } from '../codec/json';
import { pointerParts, resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import type { Batch, GraphContext, GraphReply } from './context';
import { placed, valueOf, type GraphParameter } from './values';

/** Fields of one type that an operation of another resolves. */

export type Join = NonNullable<NonNullable<FlowDocument['graph']>['joins']>[number];

/** Values of one call where the join does not say. */
export const MOST_TOGETHER = 100;

/** What a field shows, of a join whose operation answers `reply`; a text says why it cannot be made. */
export function joinSchema(join: Join, o: OperationDocument, types: TypeTable): JsonSchema | string {
  const reply = o.reply!.schema!;
  if (!join.list) return reply;
  const list = atSchema(reply, join.list.items ?? '', types);
  const items = list && typesOf(list).includes('array') ? (list.items ?? {}) : undefined;
  if (!items) return `has no list ${join.list.items ? `at ${join.list.items} of its reply` : 'as its reply'}`;
  if (!resolveSchema(withoutNull(items, types).inner, types).properties?.[join.list.by])
    return `has no ${join.list.by} in the items of its list`;
  if (manyOf(join, o, types) === undefined)
    return 'has no parameter that takes a list and is given one value by the join';
  return join.list.all ? { type: 'array', items } : items;
}

/** The parameter that takes many values at once. */
const manyOf = (join: Join, o: OperationDocument, types: TypeTable): GraphParameter | undefined =>
  o.parameters?.find((p) => p.name in join.with && typesOf(resolveSchema(p.schema, types)).includes('array'));

function atSchema(schema: JsonSchema, pointer: string, types: TypeTable): JsonSchema | undefined {
  let at: JsonSchema | undefined = resolveSchema(schema, types);
  for (const part of partsOf(pointer)) {
    const next: JsonSchema | undefined = at.properties?.[part];
    if (!next) return undefined;
    at = resolveSchema(next, types);
  }
  return at;
}

/** Resolves the field of a join for one value of the type. */
export function joinResolver(
  join: Join,
  n: number,
  o: OperationDocument,
  types: TypeTable,
): (source: unknown, context: GraphContext, field: string) => Promise<unknown> {
  const many = join.list && manyOf(join, o, types);
  const wanted = Object.entries(join.with).map(([name, property]) => ({
    parameter: o.parameters?.find((p) => p.name === name),
    read: (source: Readonly<Record<string, unknown>>) =>
      property.startsWith('/') ? atPointer(source, property) : own(source, property),
  }));
  return async (source, context, field) => {
    const given: [GraphParameter, unknown][] = [];
    let value: unknown;
    for (const { parameter, read } of wanted) {
      const v = read(source as Record<string, unknown>);
      // Nothing to look for: nothing is found, and nobody is asked.
      if (v === undefined || v === null) return join.list?.all ? [] : null;
      if (!parameter) continue;
      if (parameter === many) value = v;
      else given.push([parameter, v]);
    }
    if (!join.list || !many) {
      const reply = await context.call(placed(join.operation, given), field);
      return reply.status === 404 ? null : valueOf(reply, true);
    }
    const { list } = join;
    const batch: Batch = {
      key: `${n} ${writeJson(given.map(([, v]) => v))}`,
      operation: join.operation,
      most: list.most ?? MOST_TOGETHER,
      call: (values) => placed(join.operation, [...given, [many, values]]),
      items: (reply) => byValue(reply, list.items ?? '', list.by),
    };
    if (!Array.isArray(value)) {
      const found = await context.load(batch, value, field);
      return list.all ? found : (found[0] ?? null);
    }
    const found = await Promise.all(value.map((v) => context.load(batch, v, field)));
    return list.all ? found.flat() : (found.flat()[0] ?? null);
  };
}

/** Items of an answer by the value that tells them apart, each as it would be asked for. */
function byValue(reply: GraphReply, pointer: string, by: string): Map<string, unknown[]> {
  const out = new Map<string, unknown[]>();
  if (reply.status === 404) return out;
  const list = atPointer(valueOf(reply, true), pointer);
  for (const item of Array.isArray(list) ? (list as unknown[]) : []) {
    if (item === null || typeof item !== 'object') continue;
    const key = loadKey(own(item as Record<string, unknown>, by));
    const have = out.get(key);
    if (have) have.push(item);
    else out.set(key, [item]);
  }
  return out;
}

/** A number and its digits as text are the same value: a path holds both alike. */
export const loadKey = (v: unknown): string => (typeof v === 'string' ? v : v === undefined ? '' : writeJson(v));

const own = (v: Readonly<Record<string, unknown>>, name: string): unknown =>
  Object.hasOwn(v, name) ? v[name] : undefined;

/** Pointers stand in documents, so there are few. */
const parts = new Map<string, readonly string[]>();
function partsOf(pointer: string): readonly string[] {
  let known = parts.get(pointer);
  if (!known) {
    if (parts.size >= 1_000) parts.clear();
    parts.set(pointer, (known = pointerParts(pointer)));
  }
  return known;
}

/** RFC 6901, within the value of a type. */
function atPointer(value: unknown, pointer: string): unknown {
  let at = value;
  for (const part of partsOf(pointer)) {
    if (at === null || typeof at !== 'object' || !Object.hasOwn(at, part)) return undefined;
    at = (at as Record<string, unknown>)[part];
  }
  return at;
}
