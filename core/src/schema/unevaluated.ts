import { expressionMatcher } from '../pattern';
import { isObject } from '../message/objects';
import { passes, type Validator } from './applicators';
import { escapePointer, refName, type JsonSchema, type TypeTable } from './types';

/** What other keywords of a schema, and of those that it applies in place, have looked at; `all`: everything. */
interface Seen {
  all: boolean;
  readonly names: Set<string>;
  /** Items from the first to this many, and single ones behind them. */
  first: number;
  readonly items: Set<number>;
}

type Looks = (value: unknown, seen: Seen) => void;
type Compile = (s: JsonSchema) => Validator;

const isClosed = (s: boolean | JsonSchema): boolean =>
  typeof s === 'boolean' ? !s : s.not !== undefined && Object.keys(s.not).length === 0;

/** JSON Schema 2020-12 core §11: unevaluatedItems, unevaluatedProperties: for what no keyword beside them, or applied in place, has looked at. */
export function unevaluated(s: JsonSchema, types: TypeTable, compile: Compile, parts: Validator[]): void {
  const { unevaluatedProperties: members, unevaluatedItems: items } = s;
  if (members === undefined && items === undefined) return;
  const looks = looksOf({ ...s, unevaluatedProperties: undefined, unevaluatedItems: undefined }, types, compile, []);
  const look = (v: unknown): Seen => {
    const seen: Seen = { all: false, names: new Set(), first: 0, items: new Set() };
    looks(v, seen);
    return seen;
  };
  if (members !== undefined) {
    const rule = typeof members === 'boolean' || isClosed(members) ? undefined : compile(members);
    if (members !== true)
      parts.push((v, p, report) => {
        if (!isObject(v)) return;
        const seen = look(v);
        if (seen.all) return;
        for (const key of Object.keys(v)) {
          if (v[key] === undefined || seen.names.has(key)) continue;
          const pointer = `${p}/${escapePointer(key)}`;
          if (rule) rule(v[key], pointer, report);
          else report({ pointer, code: 'additionalProperties', detail: `${key} is not known here` });
        }
      });
  }
  if (items !== undefined && items !== true) {
    const rule = typeof items === 'boolean' || isClosed(items) ? undefined : compile(items);
    parts.push((v, p, report) => {
      if (!Array.isArray(v)) return;
      const seen = look(v);
      for (let i = seen.first; i < v.length; i++) {
        if (seen.all || seen.items.has(i)) continue;
        if (rule) rule(v[i], `${p}/${i}`, report);
        else report({ pointer: `${p}/${i}`, code: 'maxItems', detail: 'no item may stand here' });
      }
    });
  }
}

/** `open`: types on the way here, so that one that applies itself in place ends. */
function looksOf(s: JsonSchema, types: TypeTable, compile: Compile, open: readonly string[]): Looks {
  const inner = (x: JsonSchema) => looksOf(x, types, compile, open);
  const all: Looks[] = [own(s, compile)];
  const name = refName(s);
  if (name !== undefined && types[name] && !open.includes(name))
    all.push(looksOf(types[name], types, compile, [...open, name]));
  for (const part of s.allOf ?? []) all.push(inner(part));
  const when = (test: JsonSchema, then: readonly Looks[], otherwise: readonly Looks[] = []): void => {
    const rule = compile(test);
    all.push((v, seen) => (passes(rule, v) ? then : otherwise).forEach((look) => look(v, seen)));
  };
  for (const form of [...(s.anyOf ?? []), ...(s.oneOf ?? [])]) when(form, [inner(form)]);
  if (s.if) when(s.if, [s.if, ...(s.then ? [s.then] : [])].map(inner), s.else ? [inner(s.else)] : []);
  for (const [key, schema] of Object.entries(s.dependentSchemas ?? {})) {
    const look = inner(schema);
    all.push((v, seen) => {
      if (isObject(v) && Object.hasOwn(v, key)) look(v, seen);
    });
  }
  return (v, seen) => all.forEach((look) => look(v, seen));
}

function own(s: JsonSchema, compile: Compile): Looks {
  const names = Object.keys(s.properties ?? {});
  const patterns = Object.keys(s.patternProperties ?? {}).map((source) => expressionMatcher(source));
  const everyMember = s.additionalProperties !== undefined || s.unevaluatedProperties !== undefined;
  const everyItem = s.items !== undefined || s.unevaluatedItems !== undefined;
  const some = s.contains && compile(s.contains);
  return (v, seen) => {
    if (Array.isArray(v)) {
      if (everyItem) seen.all = true;
      seen.first = Math.max(seen.first, s.prefixItems?.length ?? 0);
      if (some) v.forEach((item, i) => passes(some, item) && seen.items.add(i));
    } else if (isObject(v)) {
      if (everyMember) seen.all = true;
      for (const n of names) seen.names.add(n);
      for (const key of Object.keys(v)) if (patterns.some((matches) => matches?.(key) === 'match')) seen.names.add(key);
    }
  };
}
