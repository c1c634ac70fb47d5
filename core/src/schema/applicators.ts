import type { InputFault } from '../problem';
import { isObject } from '../message/objects';
import { expressionMatcher } from '../pattern';
import { escapePointer, type JsonSchema } from './types';

/** A compiled schema: calls `report` for every fault, pointers are RFC 6901 into the value. */
export type Validator = (value: unknown, pointer: string, report: Report) => void;
export type Report = (fault: InputFault) => void;

class Stop extends Error {}
const STOP = new Stop();

export function passes(validator: Validator, value: unknown): boolean {
  try {
    validator(value, '', () => {
      throw STOP;
    });
    return true;
  } catch (e) {
    if (e === STOP) return false;
    throw e;
  }
}

/** The rarer keywords of JSON Schema 2020-12 (core §10): what depends on another member, on a pattern, on a condition. */
export function applicators(s: JsonSchema, compile: (s: JsonSchema) => Validator, parts: Validator[]): void {
  if (s.if) parts.push(conditional(compile(s.if), s.then && compile(s.then), s.else && compile(s.else)));
  if (s.prefixItems) {
    const items = s.prefixItems.map(compile);
    parts.push((v, p, report) => {
      if (Array.isArray(v)) items.slice(0, v.length).forEach((item, i) => item(v[i], `${p}/${i}`, report));
    });
  }
  if (s.contains) parts.push(containing(compile(s.contains), s.minContains ?? 1, s.maxContains ?? Infinity));
  for (const [source, schema] of Object.entries(s.patternProperties ?? {})) {
    const matches = expressionMatcher(source);
    const rule = compile(schema);
    parts.push((v, p, report) => {
      if (isObject(v))
        for (const key of Object.keys(v))
          if (matches?.(key) === 'match') rule(v[key], `${p}/${escapePointer(key)}`, report);
    });
  }
  if (s.propertyNames) {
    const rule = compile(s.propertyNames);
    parts.push((v, p, report) => {
      if (!isObject(v)) return;
      for (const key of Object.keys(v))
        if (!passes(rule, key))
          report({
            pointer: `${p}/${escapePointer(key)}`,
            code: 'propertyNames',
            detail: `${key} is not allowed as a name`,
          });
    });
  }
  for (const [name, needed] of Object.entries(s.dependentRequired ?? {})) {
    parts.push((v, p, report) => {
      if (!isObject(v) || !Object.hasOwn(v, name)) return;
      for (const n of needed)
        if (!Object.hasOwn(v, n))
          report({ pointer: `${p}/${escapePointer(n)}`, code: 'required', detail: `${n} is needed beside ${name}` });
    });
  }
  for (const [name, schema] of Object.entries(s.dependentSchemas ?? {})) {
    const rule = compile(schema);
    parts.push((v, p, report) => {
      if (isObject(v) && Object.hasOwn(v, name)) rule(v, p, report);
    });
  }
}

function conditional(test: Validator, yes: Validator | undefined, no: Validator | undefined): Validator {
  return (v, p, report) => (passes(test, v) ? yes : no)?.(v, p, report);
}

function containing(rule: Validator, least: number, most: number): Validator {
  return (v, p, report) => {
    if (!Array.isArray(v)) return;
    const n = v.filter((x) => passes(rule, x)).length;
    if (n < least || n > most)
      report({
        pointer: p,
        code: 'contains',
        detail:
          n < least ? `must hold at least ${least} items of one kind` : `may hold at most ${most} items of one kind`,
      });
  };
}
