import { isObject, setMember } from '../message/objects';
import { resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import { textReader } from './text-values';

/**
 * Objects of the style deepObject in a query: name[member]=value (OpenAPI 3.1 §4.8.12.2). What stands within members is left open there; it is read and
 * written as name[member][inner], lists under one name, with [] or with numbers behind it (common practice).
 */
export interface DeepReader {
  /** Undefined where nothing of it is given. */
  read(values: Readonly<Record<string, string | readonly string[] | undefined>>): unknown;
  /** Whether a name in the query is of this parameter. */
  knows(name: string): boolean;
}

type Texts = string | readonly string[];
interface Branch {
  readonly members: Map<string, Branch | Texts>;
}

const MOST_DEEP = 8;

export function deepReader(name: string, schema: JsonSchema, types: TypeTable): DeepReader {
  const open = `${name}[`;
  const pathOf = (given: string): string[] | undefined =>
    given.startsWith(open) && given.endsWith(']') ? given.slice(open.length, -1).split('][') : undefined;
  const known = new Map<string, boolean>();
  const knows = (given: string): boolean => {
    let is = known.get(given);
    if (is === undefined) {
      const path = pathOf(given);
      is = path !== undefined && path.length <= MOST_DEEP && leads(path, schema, types);
      if (known.size < 1_000) known.set(given, is);
    }
    return is;
  };
  return {
    knows,
    read(values) {
      const root: Branch = { members: new Map() };
      for (const given in values) {
        const texts = values[given];
        if (texts !== undefined && given.startsWith(open) && knows(given)) put(root, pathOf(given)!, texts);
      }
      return root.members.size ? valueOf(root, schema, types) : undefined;
    },
  };
}

function put(root: Branch, path: readonly string[], texts: Texts): void {
  let at = root;
  for (const part of path.slice(0, -1)) {
    let next = at.members.get(part);
    if (next === undefined || typeof next === 'string' || Array.isArray(next))
      at.members.set(part, (next = { members: new Map() }));
    at = next as Branch;
  }
  const last = path[path.length - 1]!;
  const have = at.members.get(last);
  if (have === undefined) at.members.set(last, texts);
}

const plain = (s: JsonSchema, types: TypeTable): JsonSchema => resolveSchema(withoutNull(s, types).inner, types);
const isList = (s: JsonSchema): boolean => typesOf(s).includes('array');

/** The schema behind one part of a name; undefined where there is none. */
function stepInto(s: JsonSchema, part: string, types: TypeTable): JsonSchema | undefined {
  if (isList(s)) return part === '' || /^\d{1,4}$/.test(part) ? plain(s.items ?? {}, types) : undefined;
  if (s.properties && Object.hasOwn(s.properties, part)) return plain(s.properties[part]!, types);
  const kinds = typesOf(s);
  if (kinds.length && !kinds.includes('object')) return undefined;
  const more = s.additionalProperties ?? s.properties === undefined;
  return more === false ? undefined : plain(more === true ? {} : more, types);
}

function leads(path: readonly string[], schema: JsonSchema, types: TypeTable): boolean {
  let at: JsonSchema | undefined = plain(schema, types);
  for (const part of path) if (at) at = stepInto(at, part, types);
  return at !== undefined;
}

function valueOf(node: Branch | Texts, schema: JsonSchema | undefined, types: TypeTable): unknown {
  const s = schema && plain(schema, types);
  const list = s !== undefined && isList(s);
  if (typeof node === 'string' || Array.isArray(node)) {
    const read = textReader(list ? s.items : schema, types);
    const all = [node as Texts].flat().map(read);
    return list || all.length !== 1 ? all : all[0];
  }
  const { members } = node as Branch;
  if (list) {
    const inOrder = [...members].sort(([a], [b]) => Number(a) - Number(b));
    return inOrder.flatMap(([part, v]) => {
      const item = valueOf(v, s.items, types);
      return part === '' && Array.isArray(v) ? (valueOf(v, s, types) as unknown[]) : [item];
    });
  }
  const out: Record<string, unknown> = {};
  for (const [part, v] of members) setMember(out, part, valueOf(v, s && stepInto(s, part, types), types));
  return out;
}

/** Names and values of an object, encoded by the caller. */
export function* deepEntries(name: string, value: object): Generator<readonly [string, unknown]> {
  for (const [member, v] of Object.entries(value)) {
    const inner = `${name}[${member}]`;
    if (isObject(v)) yield* deepEntries(inner, v);
    else if (Array.isArray(v))
      for (const [i, one] of (v as unknown[]).entries())
        if (isObject(one)) yield* deepEntries(`${inner}[${i}]`, one);
        else yield [inner, one] as const;
    else if (v !== undefined) yield [inner, v] as const;
  }
}
