import { diffArrays } from 'diff';
import {
  isMap,
  isScalar,
  isSeq,
  parseDocument,
  stringify,
  type Document,
  type Node,
  type Pair,
  type YAMLMap,
} from 'yaml';

export type TextFormat = 'yaml' | 'json';
type Tree = Record<string, unknown>;
type Path = readonly (string | number)[];

const isTree = (v: unknown): v is Tree => v !== null && typeof v === 'object' && !Array.isArray(v);

/** A value as text, as a person would begin it. */
export function writeText(value: unknown, format: TextFormat): string {
  return format === 'json'
    ? `${JSON.stringify(value, null, 2)}\n`
    : stringify(value, { lineWidth: 0, aliasDuplicateObjects: false });
}

/**
 * The text with the difference between two values laid into it: what is the same in both stays as it was written, with its comments, its order and
 * whatever else stands beside it. The text must be readable; `from` is what it says now. Where a reference stands in the way it gives way to the value.
 */
export function patchText(source: string, format: TextFormat, from: unknown, to: unknown): string {
  if (same(from, to)) return source;
  if (format === 'json') {
    const value: unknown = JSON.parse(source);
    return `${JSON.stringify(patchValue(value, from, to), null, indentOf(source))}\n`;
  }
  const doc = parseDocument(source);
  patchNode(doc, [], from, to);
  const indent = indentOf(source);
  const style = {
    lineWidth: 0,
    indent: Math.min(8, Math.max(2, indent)),
    indentSeq: !/^( *)[^\s#-][^\n]*:[ \t]*\n\1- /m.test(source),
  };
  return keepLines(source, parseDocument(source).toString(style), doc.toString(style));
}

/**
 * `out` differs from `plain` by the change alone; `plain` and `source` say the same, written by the package and by a person. Wherever `out` is as `plain` was, the
 * person's lines stand.
 */
function keepLines(source: string, plain: string, out: string): string {
  const [src, base, next] = [source, plain, out].map((t) => t.split('\n')) as [string[], string[], string[]];
  const kept = new Array<boolean>(base.length).fill(false);
  const insertedAt = new Map<number, string[]>();
  let at = 0;
  for (const part of diffArrays(base, next)) {
    if (part.added) insertedAt.set(at, [...(insertedAt.get(at) ?? []), ...part.value]);
    else {
      if (!part.removed) kept.fill(true, at, at + part.value.length);
      at += part.value.length;
    }
  }
  const result: string[] = [];
  const emit = (theirs: readonly string[], from: number, to: number) => {
    result.push(...(insertedAt.get(from) ?? []));
    insertedAt.delete(from);
    let whole = true;
    for (let n = from; n < to; n++) whole &&= kept[n]! && !(n > from && insertedAt.has(n));
    if (whole) result.push(...theirs);
    else
      for (let n = from; n < to; n++) {
        result.push(...(n > from ? (insertedAt.get(n) ?? []) : []));
        insertedAt.delete(n);
        if (kept[n]) result.push(base[n]!);
      }
  };
  at = 0;
  let removed: string[] = [];
  const flush = () => {
    if (removed.length) emit(removed, at, at);
    removed = [];
  };
  for (const part of diffArrays(src, base)) {
    if (part.removed) {
      flush();
      removed = part.value;
    } else if (part.added && removed.length) {
      const count = part.value.length;
      if (removed.length === count) removed.forEach((line, n) => emit([line], at + n, at + n + 1));
      else emit(removed, at, at + count);
      at += count;
      removed = [];
    } else {
      flush();
      const lines = part.added ? [] : part.value;
      for (let n = 0; n < part.value.length; n++) emit(lines.slice(n, n + 1), at + n, at + n + 1);
      at += part.value.length;
    }
  }
  flush();
  emit([], base.length, base.length);
  return result.join('\n');
}

/** The smallest indentation that the text uses. */
function indentOf(source: string): number {
  const found = [...source.matchAll(/^( +)\S/gm)].map((m) => m[1]!.length);
  return found.length ? Math.min(...found) : 2;
}

function patchNode(doc: Document, path: Path, from: unknown, to: unknown): void {
  if (same(from, to)) return;
  const node = nodeAt(doc, path);
  if (isTree(from) && isTree(to) && isMap(node) && !node.has('$ref')) {
    const { renamed, removed, added } = keysOf(from, to);
    for (const [was, is] of renamed) {
      const pair = pairOf(node, was);
      if (pair) setKey(pair, is);
      else node.set(is, doc.createNode(to[is]));
    }
    for (const key of removed) {
      const pair = pairOf(node, key);
      if (pair) node.items.splice(node.items.indexOf(pair), 1);
    }
    for (const key of Object.keys(to)) {
      if (added.has(key)) insert(doc, node, key, to);
      else if (from[key] !== undefined) {
        if (same(from[key], to[key])) continue;
        if (pairOf(node, key)) patchNode(doc, [...path, key], from[key], to[key]);
        else node.set(key, doc.createNode(to[key]));
      }
    }
    return;
  }
  if (Array.isArray(from) && Array.isArray(to) && isSeq(node) && node.items.length === from.length) {
    const plan = itemsOf(from, to);
    if (plan) {
      const before = [...node.items];
      node.items = plan.map((at, n) => (at === undefined ? doc.createNode(to[n]) : before[at]!));
      plan.forEach((at, n) => at !== undefined && patchNode(doc, [...path, n], from[at], to[n]));
      return;
    }
  }
  if (isScalar(node) && !isTree(to) && !Array.isArray(to)) {
    // Its comment and the way it is quoted stay.
    node.value = to;
    delete node.source;
    if (typeof to !== 'string') delete node.type;
    return;
  }
  const made = doc.createNode(to) as Node;
  if (node) made.commentBefore = node.commentBefore;
  if (path.length) doc.setIn(path, made);
  else doc.contents = made as never;
}

const nodeAt = (doc: Document, path: Path): Node | undefined =>
  (path.length ? doc.getIn(path, true) : doc.contents) as Node | undefined;

const keyText = (pair: Pair): string => String(isScalar(pair.key) ? pair.key.value : pair.key);

/** Keys that look like numbers, as statuses do, are read as numbers unless they are quoted. */
const pairOf = (map: YAMLMap, key: string): Pair | undefined => map.items.find((p) => keyText(p) === key);

function setKey(pair: Pair, key: string): void {
  if (!isScalar(pair.key)) return;
  pair.key.value = key;
  delete pair.key.source;
}

/** Puts a new member behind the one it follows in the value. */
function insert(doc: Document, map: YAMLMap, key: string, to: Tree): void {
  const keys = Object.keys(to);
  const pair = doc.createPair(key, to[key]) as Pair;
  for (let n = keys.indexOf(key) - 1; n >= 0; n--) {
    const before = pairOf(map, keys[n]!);
    if (before) {
      map.items.splice(map.items.indexOf(before) + 1, 0, pair);
      return;
    }
  }
  map.items.push(pair);
}

interface Keys {
  readonly renamed: readonly (readonly [string, string])[];
  readonly removed: readonly string[];
  readonly added: ReadonlySet<string>;
}

/** What became of the keys: one that went where an equal value came is a new name. */
function keysOf(from: Tree, to: Tree): Keys {
  const removed = Object.keys(from).filter((k) => !(k in to));
  const added = new Set(Object.keys(to).filter((k) => !(k in from)));
  const renamed: [string, string][] = [];
  for (const was of [...removed]) {
    const is = [...added].find((k) => same(from[was], to[k]));
    if (is === undefined) continue;
    renamed.push([was, is]);
    removed.splice(removed.indexOf(was), 1);
    added.delete(is);
  }
  return { renamed, removed, added };
}

/** For each new item the old one that it is: by name, by value, or by place where none came or went. Undefined when that cannot be told. */
function itemsOf(from: readonly unknown[], to: readonly unknown[]): (number | undefined)[] | undefined {
  const nameOf = (x: unknown) =>
    isTree(x) ? (typeof x.name === 'string' ? `${String(x.in)} ${x.name}` : undefined) : JSON.stringify(x);
  const names = from.map(nameOf);
  const wanted = to.map(nameOf);
  const unique = (list: readonly unknown[]) => !list.includes(undefined) && new Set(list).size === list.length;
  if (from.length === to.length && !(unique(names) && wanted.some((w) => names.includes(w))))
    return to.map((_x, n) => n);
  if (!unique(names) || !unique(wanted)) return undefined;
  return wanted.map((name) => {
    const at = names.indexOf(name);
    return at < 0 ? undefined : at;
  });
}

/** The same on plain values: for JSON, where order is all there is to keep. */
function patchValue(value: unknown, from: unknown, to: unknown): unknown {
  if (same(from, to)) return value;
  if (isTree(from) && isTree(to) && isTree(value) && !('$ref' in value)) {
    const { renamed, removed, added } = keysOf(from, to);
    const names = new Map(renamed);
    const entries: [string, unknown][] = Object.entries(value)
      .filter(([k]) => !removed.includes(k))
      .map(([k, v]) => {
        const name = names.get(k) ?? k;
        return [name, name in to && k in from ? patchValue(v, from[k], to[name]) : v];
      });
    for (const key of Object.keys(to))
      if (added.has(key) || !entries.some(([k]) => k === key)) {
        if (!added.has(key) && same(from[key], to[key])) continue;
        entries.push([key, to[key]]);
      }
    return Object.fromEntries(entries);
  }
  if (Array.isArray(from) && Array.isArray(to) && Array.isArray(value) && value.length === from.length) {
    const plan = itemsOf(from, to);
    if (plan)
      return plan.map((at, n) => (at === undefined ? to[n] : patchValue((value as unknown[])[at], from[at], to[n])));
  }
  return to;
}

/** Equal as JSON: order of members does not count. */
export function same(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (Array.isArray(a)) return Array.isArray(b) && a.length === b.length && a.every((x, n) => same(x, b[n]));
  if (!isTree(a) || !isTree(b)) return false;
  const keys = Object.keys(a).filter((k) => a[k] !== undefined);
  return keys.length === Object.keys(b).filter((k) => b[k] !== undefined).length && keys.every((k) => same(a[k], b[k]));
}
