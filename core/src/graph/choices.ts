import type { FlowDocument } from '../flow/document';
import { isDescribed } from '../export/openapi';
import { escapePointer, resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import { SAFE } from './graph';
import { MOST_TOGETHER, type Join } from './joins';
import { suggestJoins } from './suggest';

/** What a join can be made of: for whoever chooses it from lists instead of writing it. */

export interface JoinParameter {
  readonly name: string;
  /** The operation cannot be called without it. */
  readonly needed: boolean;
  /** It takes many values at once. */
  readonly many: boolean;
}

export interface JoinParts {
  readonly parameters: readonly JoinParameter[];
  /** Lists that the reply holds: pointer, empty for the reply itself, and what tells an item from another. */
  readonly lists: readonly { readonly items: string; readonly by: readonly string[] }[];
}

/** How far below a type a value is looked for. */
const DEEP = 3;
const SHOWN = 200;

/** Types that can get a field: those that are objects. */
export const joinTypes = (document: FlowDocument): string[] =>
  Object.entries(document.types ?? {})
    .filter(([, s]) => Object.keys(resolveSchema(s, document.types ?? {}).properties ?? {}).length > 0)
    .map(([name]) => name);

/** Operations that can resolve a field: safe ones with a reply. */
export const joinOperations = (document: FlowDocument): string[] =>
  Object.entries(document.operations)
    .filter(([, o]) => isDescribed(o) && SAFE.has(o.method) && o.reply?.schema)
    .map(([id]) => id);

/** Values of a type that can be looked up by: properties by name, those of objects within it by pointer (RFC 6901). */
export function joinValues(document: FlowDocument, type: string): string[] {
  const types = document.types ?? {};
  const out: string[] = [];
  const look = (schema: JsonSchema, pointer: string, depth: number): void => {
    for (const [name, s] of Object.entries(plain(schema, types).properties ?? {})) {
      if (out.length >= SHOWN) return;
      const inner = plain(s, types);
      const at = `${pointer}/${escapePointer(name)}`;
      const kinds = typesOf(inner);
      const item = kinds.includes('array') ? typesOf(plain(inner.items ?? {}, types)) : kinds;
      if (item.some((k) => k === 'string' || k === 'integer' || k === 'number')) out.push(depth === 1 ? name : at);
      else if (kinds.includes('object') && depth < DEEP) look(inner, at, depth + 1);
    }
  };
  look({ $ref: `#/types/${type}` }, '', 1);
  return out;
}

/** What an operation takes, and what lists it answers. */
export function joinParts(document: FlowDocument, operation: string): JoinParts {
  const types = document.types ?? {};
  const o = document.operations[operation];
  if (!o) return { parameters: [], lists: [] };
  const parameters = (o.parameters ?? []).map((p) => ({
    name: p.name,
    needed: p.required === true || p.in === 'path',
    many: typesOf(plain(p.schema, types)).includes('array'),
  }));
  const lists: JoinParts['lists'][number][] = [];
  const look = (schema: JsonSchema, pointer: string, depth: number): void => {
    const s = plain(schema, types);
    if (typesOf(s).includes('array')) {
      const items = Object.entries(plain(s.items ?? {}, types).properties ?? {});
      const by = items.filter(([, i]) => typesOf(plain(i, types)).some((k) => k === 'string' || k === 'integer'));
      if (by.length) lists.push({ items: pointer, by: by.map(([name]) => name) });
      return;
    }
    if (depth > DEEP) return;
    for (const [name, p] of Object.entries(s.properties ?? {})) look(p, `${pointer}/${escapePointer(name)}`, depth + 1);
  };
  look(o.reply?.schema ?? {}, '', 1);
  return { parameters, lists };
}

/** Joins that names and types speak for, and that the document has not. */
export function openJoins(document: FlowDocument): Join[] {
  const have = new Set((document.graph?.joins ?? []).map((j) => `${j.type}.${j.field}`));
  return suggestJoins(document).filter((j) => !have.has(`${j.type}.${j.field}`));
}

/** A join in words: what its operation is given, and how many are asked for at once. */
export function joinWords(join: Join): string {
  const given = Object.entries(join.with)
    .map(([p, from]) => `${p} from ${from}`)
    .join(', ');
  const { list } = join;
  const together = list && `together, up to ${list.most ?? MOST_TOGETHER}, told apart by ${list.by}`;
  return [given, together].filter(Boolean).join('; ');
}

const plain = (schema: JsonSchema, types: TypeTable): JsonSchema =>
  resolveSchema(withoutNull(resolveSchema(schema, types), types).inner, types);
