import { Digits, isNumber } from '../message/digits';
import { LIMITS } from '../limits';
import { expressionMatcher } from '../pattern';
import type { InputFault } from '../problem';
import { applicators, passes, type Report, type Validator } from './applicators';
import { CLOCK, MONTH_DAY, realDay } from './calendar';
import { unevaluated } from './unevaluated';
import { escapePointer, refName, typesOf, type JsonSchema, type JsonType, type TypeTable } from './types';

export { passes };
export type { Report, Validator };

/**
 * Compiles JSON Schema 2020-12 (the vocabulary of `JsonSchema`, formats asserted) to closures that know `Digits`.
 * Named types compile once, on first use, so recursive types end.
 */
export class ValidatorSet {
  private readonly named = new Map<string, Validator>();

  constructor(private readonly types: TypeTable) {}

  /** All faults of one value, at most LIMITS.inputFaults. */
  check(schema: JsonSchema, value: unknown, pointer = ''): InputFault[] {
    return collectFaults(this.compile(schema), value, pointer);
  }

  compile(schema: JsonSchema | boolean): Validator {
    if (schema === true) return NOTHING;
    // JSON Schema core §4.3.2: false is { "not": {} }.
    if (schema === false) return this.compile({ not: {} });
    const parts: Validator[] = [];
    const name = refName(schema);
    if (name !== undefined) parts.push(this.reference(name));
    const types = typesOf(schema);
    if (types.length) parts.push(typeRule(types));
    if (schema.enum) parts.push(enumRule(schema.enum));
    if (schema.const !== undefined) parts.push(enumRule([schema.const]));
    this.stringRules(schema, parts);
    numberRules(schema, parts);
    if (
      schema.items !== undefined ||
      schema.minItems !== undefined ||
      schema.maxItems !== undefined ||
      schema.uniqueItems
    )
      parts.push(this.arrayRule(schema));
    if (
      schema.properties ||
      schema.required ||
      schema.additionalProperties !== undefined ||
      schema.minProperties !== undefined ||
      schema.maxProperties !== undefined
    )
      parts.push(this.objectRule(schema));
    for (const s of schema.allOf ?? []) parts.push(this.compile(s));
    if (schema.anyOf) parts.push(this.someRule(schema.anyOf, false));
    if (schema.oneOf) parts.push(this.discriminated(schema) ?? this.someRule(schema.oneOf, true));
    if (schema.not) {
      const inner = this.compile(schema.not);
      const none = Object.keys(schema.not).length === 0;
      const detail = none ? 'nothing may stand here' : 'the value has a form that is ruled out here';
      parts.push((v, p, report) => {
        if (passes(inner, v)) report({ pointer: p, code: 'not', detail });
      });
    }
    applicators(schema, (s) => this.compile(s), parts);
    unevaluated(schema, this.types, (s) => this.compile(s), parts);
    if (parts.length === 1) return parts[0]!;
    return (v, p, report) => {
      for (const part of parts) part(v, p, report);
    };
  }

  private reference(name: string): Validator {
    // A type that is nothing but itself says nothing, and would never end.
    if (this.isCircle(name)) return () => undefined;
    let target: Validator | undefined;
    return (v, p, report) => {
      if (!target) {
        target = this.named.get(name);
        if (!target) {
          const schema = this.types[name];
          target = schema ? this.compile(schema) : () => undefined;
          this.named.set(name, target);
        }
      }
      target(v, p, report);
    };
  }

  /** True where a type leads back to itself without going into a member or an item. */
  private isCircle(name: string): boolean {
    const seen = new Set<string>();
    const walk = (s: JsonSchema | undefined): boolean => {
      if (!s) return false;
      const ref = refName(s);
      if (ref === name) return true;
      if (ref !== undefined && !seen.has(ref)) {
        seen.add(ref);
        if (walk(this.types[ref])) return true;
      }
      return [...(s.allOf ?? []), ...(s.anyOf ?? []), ...(s.oneOf ?? []), s.not, s.if, s.then, s.else].some(walk);
    };
    return walk(this.types[name]);
  }

  private stringRules(s: JsonSchema, parts: Validator[]): void {
    const matches = s.pattern === undefined ? undefined : expressionMatcher(s.pattern);
    const format = s.format === undefined ? undefined : FORMATS[s.format];
    const words = FORMAT_WORDS[s.format ?? ''];
    if (s.minLength === undefined && s.maxLength === undefined && !matches && !format) return;
    parts.push((v, p, report) => {
      if (typeof v !== 'string') return;
      if (s.minLength !== undefined || s.maxLength !== undefined) {
        const n = [...v].length;
        if (n < (s.minLength ?? 0))
          report({ pointer: p, code: 'minLength', detail: `must have at least ${count(s.minLength!, 'characters')}` });
        if (n > (s.maxLength ?? Infinity))
          report({ pointer: p, code: 'maxLength', detail: `must have at most ${count(s.maxLength!, 'characters')}` });
      }
      const verdict = matches?.(v) ?? 'match';
      if (verdict !== 'match') {
        const why = verdict === 'unknown' ? ', and this text takes too long to hold against it' : '';
        // A type of XML Schema that JSON has no format for says more by its name.
        const wanted = s.title?.startsWith('xs:') ? `be an ${s.title}` : `match ${s.pattern}`;
        report({ pointer: p, code: 'pattern', detail: `must ${wanted}${why}` });
      }
      if (format && !format(v)) report({ pointer: p, code: 'format', detail: `must be ${words}` });
    });
  }

  private arrayRule(s: JsonSchema): Validator {
    const item = s.items === undefined ? undefined : this.compile(s.items);
    // Items behind those that have a schema of their own (§10.3.1.2).
    const from = s.prefixItems?.length ?? 0;
    return (v, p, report) => {
      if (!Array.isArray(v)) return;
      if (v.length < (s.minItems ?? 0))
        report({ pointer: p, code: 'minItems', detail: `must have at least ${count(s.minItems!, 'items')}` });
      if (v.length > (s.maxItems ?? Infinity))
        report({ pointer: p, code: 'maxItems', detail: `must have at most ${count(s.maxItems!, 'items')}` });
      if (s.uniqueItems && new Set(v.map(canonical)).size < v.length)
        report({ pointer: p, code: 'uniqueItems', detail: 'must not hold the same item twice' });
      if (item) for (let i = from; i < v.length; i++) item(v[i], `${p}/${i}`, report);
    };
  }

  private objectRule(s: JsonSchema): Validator {
    const properties = new Map(
      Object.entries(s.properties ?? {}).map(([name, schema]) => [
        name,
        { rule: this.compile(schema), part: `/${escapePointer(name)}` },
      ]),
    );
    const required = s.required ?? [];
    const extra = typeof s.additionalProperties === 'object' ? this.compile(s.additionalProperties) : undefined;
    const closed = s.additionalProperties === false;
    const patterns = Object.keys(s.patternProperties ?? {}).map((source) => expressionMatcher(source));
    return (v, p, report) => {
      if (v === null || typeof v !== 'object' || Array.isArray(v) || v instanceof Digits) return;
      const object = v as Record<string, unknown>;
      for (const name of required) {
        if (!Object.hasOwn(object, name) || object[name] === undefined)
          report({ pointer: `${p}/${escapePointer(name)}`, code: 'required', detail: `${name} is missing` });
      }
      let n = 0;
      for (const key of Object.keys(object)) {
        if (object[key] === undefined) continue;
        n++;
        const known = properties.get(key);
        if (known) {
          known.rule(object[key], p + known.part, report);
          continue;
        }
        const rule = patterns.some((matches) => matches?.(key) === 'match') ? NOTHING : extra;
        if (rule) rule(object[key], `${p}/${escapePointer(key)}`, report);
        else if (closed)
          report({
            pointer: `${p}/${escapePointer(key)}`,
            code: 'additionalProperties',
            detail: `${key} is not known here`,
          });
      }
      if (n < (s.minProperties ?? 0))
        report({
          pointer: p,
          code: 'minProperties',
          detail: `must have at least ${count(s.minProperties!, 'properties')}`,
        });
      if (n > (s.maxProperties ?? Infinity))
        report({
          pointer: p,
          code: 'maxProperties',
          detail: `must have at most ${count(s.maxProperties!, 'properties')}`,
        });
    };
  }

  /** OpenAPI's discriminator says which form is meant, so that its faults are told and not those of all forms. */
  private discriminated(s: JsonSchema): Validator | undefined {
    const { propertyName, mapping } = s.discriminator ?? {};
    if (propertyName === undefined || !mapping || !s.oneOf) return undefined;
    const named = new Map(Object.entries(mapping).map(([value, ref]) => [value, this.compile({ $ref: ref })]));
    const rest = s.oneOf.filter((o) => !Object.values(mapping).includes(o.$ref ?? ''));
    const other = rest.length ? this.someRule(rest, true) : undefined;
    const words = Object.keys(mapping).slice(0, 20).join(', ');
    return (v, p, report) => {
      const value = v !== null && typeof v === 'object' ? (v as Record<string, unknown>)[propertyName] : undefined;
      const chosen = typeof value === 'string' ? named.get(value) : undefined;
      if (chosen) chosen(v, p, report);
      else if (other && (value === undefined || typeof value !== 'string')) other(v, p, report);
      else if (other && rest.some((o) => o.$ref !== undefined) && passes(other, v)) return;
      else if (v === null || typeof v !== 'object') report({ pointer: p, code: 'type', detail: 'must be an object' });
      else
        report({
          pointer: `${p}/${escapePointer(propertyName)}`,
          code: value === undefined ? 'required' : 'enum',
          detail: value === undefined ? `${propertyName} is missing` : `must be one of ${words}`,
        });
    };
  }

  private someRule(schemas: readonly JsonSchema[], exactlyOne: boolean): Validator {
    const options = schemas.map((s) => this.compile(s));
    const names = schemas.every((s) => s.required?.length || s.not)
      ? schemas.flatMap((s) => s.required ?? [])
      : undefined;
    return (v, p, report) => {
      let hits = 0;
      for (const option of options) if (passes(option, v) && ++hits > 1 && exactlyOne) break;
      if (hits === 1 || (hits > 1 && !exactlyOne)) return;
      if (hits === 0 && !names) {
        closest(options, v, p).forEach(report);
        return;
      }
      const detail = names
        ? hits === 0
          ? `one of ${names.join(', ')} is needed`
          : `only one of ${names.join(', ')} may be given`
        : 'fits more than one of the forms that are allowed here';
      report({ pointer: p, code: exactlyOne ? 'oneOf' : 'anyOf', detail });
    };
  }
}

/** When nothing fits, the faults of the option that came nearest say most. */
function closest(options: readonly Validator[], value: unknown, pointer: string): InputFault[] {
  const tries = options.map((o) => collectFaults(o, value, pointer));
  const typed = tries.filter((t) => !t.some((f) => f.pointer === pointer && f.code === 'type'));
  const pool = typed.length ? typed : tries;
  // Of simple values all is told: none of them is nearer than another.
  const words = new Set(pool.map((t) => t[0]?.detail));
  if (words.size > 1 && words.size <= 5 && pool.every((t) => t.length === 1 && t[0]!.pointer === pointer))
    return [{ pointer, code: 'anyOf', detail: [...words].join(', or ') }];
  return pool.reduce((best, t) => (t.length < best.length ? t : best), pool[0] ?? []);
}

const NOTHING: Validator = () => undefined;

export function collectFaults(validator: Validator, value: unknown, pointer = ''): InputFault[] {
  const faults: InputFault[] = [];
  validator(value, pointer, (f) => {
    // Two parts of an allOf may demand the same.
    const told = (o: InputFault) => o.pointer === f.pointer && o.code === f.code && o.detail === f.detail;
    if (faults.length < LIMITS.inputFaults && !faults.some(told)) faults.push(f);
  });
  return faults;
}

export function jsonTypeOf(value: unknown): JsonType {
  if (value === null) return 'null';
  if (Array.isArray(value)) return 'array';
  if (isNumber(value)) return isWhole(value) ? 'integer' : 'number';
  if (typeof value === 'boolean') return 'boolean';
  return typeof value === 'string' ? 'string' : 'object';
}

/** JSON Schema validation §6.1.1: 1.0 is an integer. */
function isWhole(value: number | Digits): boolean {
  if (typeof value === 'number') return Number.isInteger(value);
  return /^-?\d+(\.0+)?$/.test(value.text) || Number.isInteger(Number(value.text));
}

const A: Record<JsonType, string> = {
  null: 'null',
  boolean: 'true or false',
  object: 'an object',
  array: 'an array',
  number: 'a number',
  string: 'a string',
  integer: 'a whole number',
};

function typeRule(types: readonly JsonType[]): Validator {
  const words = types.map((t) => A[t]).join(' or ');
  return (v, p, report) => {
    const t = jsonTypeOf(v);
    if (!types.includes(t) && !(t === 'integer' && types.includes('number')))
      report({ pointer: p, code: 'type', detail: `must be ${words}` });
  };
}

function enumRule(values: readonly unknown[]): Validator {
  const allowed = new Set(values.map(canonical));
  const words = values
    .slice(0, 20)
    .map((v) => JSON.stringify(v))
    .join(', ');
  return (v, p, report) => {
    if (!allowed.has(canonical(v)))
      report({ pointer: p, code: 'enum', detail: `must be ${values.length === 1 ? words : `one of ${words}`}` });
  };
}

/** Equal values give equal text; numbers by value, object members in any order. */
function canonical(v: unknown): string {
  if (isNumber(v)) return String(Number(v));
  if (Array.isArray(v)) return `[${v.map(canonical).join(',')}]`;
  if (v !== null && typeof v === 'object') {
    const o = v as Record<string, unknown>;
    return `{${Object.keys(o)
      .sort()
      .map((k) => `${JSON.stringify(k)}:${canonical(o[k])}`)
      .join(',')}}`;
  }
  return JSON.stringify(v) ?? 'undefined';
}

function numberRules(s: JsonSchema, parts: Validator[]): void {
  const rules: [string, (n: number) => boolean, string][] = [];
  if (s.minimum !== undefined) rules.push(['minimum', (n) => n >= s.minimum!, `must be at least ${s.minimum}`]);
  if (s.maximum !== undefined) rules.push(['maximum', (n) => n <= s.maximum!, `must be at most ${s.maximum}`]);
  if (s.exclusiveMinimum !== undefined)
    rules.push(['exclusiveMinimum', (n) => n > s.exclusiveMinimum!, `must be more than ${s.exclusiveMinimum}`]);
  if (s.exclusiveMaximum !== undefined)
    rules.push(['exclusiveMaximum', (n) => n < s.exclusiveMaximum!, `must be less than ${s.exclusiveMaximum}`]);
  if (s.multipleOf !== undefined)
    rules.push([
      'multipleOf',
      (n) => Math.abs(n / s.multipleOf! - Math.round(n / s.multipleOf!)) < 1e-9,
      `must be a multiple of ${s.multipleOf}`,
    ]);
  if (s.format === 'int32') rules.push(['format', (n) => n >= -2147483648 && n <= 2147483647, 'must fit 32 bits']);
  if (rules.length) {
    parts.push((v, p, report) => {
      if (!isNumber(v)) return;
      const n = Number(v);
      for (const [code, holds, detail] of rules) if (!holds(n)) report({ pointer: p, code, detail });
    });
  }
  if (s.format === 'int64') {
    parts.push((v, p, report) => {
      if (!isNumber(v)) return;
      const text = typeof v === 'number' ? String(v) : v.text;
      if (!/^-?\d{1,19}$/.test(text)) return;
      const big = BigInt(text);
      if (big > 9223372036854775807n || big < -9223372036854775808n)
        report({ pointer: p, code: 'format', detail: 'must fit 64 bits' });
    });
  }
}

const OFFSET = '(?:[Zz]|[+-](?:[01]\\d|2[0-3]):[0-5]\\d)';
const DATE = new RegExp(`^\\d{4}-${MONTH_DAY}$`);
/** A leap second may stand where one can (RFC 3339 §5.7); which minute that is in UTC is not worked out. */
const SECOND = CLOCK.replace('[0-5]\\d(?:', '(?:[0-5]\\d|60)(?:');
const TIME = new RegExp(`^${SECOND}${OFFSET}$`);
const DATE_TIME = new RegExp(`^\\d{4}-${MONTH_DAY}[Tt]${SECOND}${OFFSET}$`);

/** RFC 5321 §4.1.2 without quoted parts and address literals: what mail systems take in practice. */
const LABEL = '[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?';
const ATOM = "[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]+";
const EMAIL = new RegExp(`^${ATOM}(?:\\.${ATOM})*@(?:${LABEL}\\.)+${LABEL}$`);

/** True where the text has the format, or the format is not known. */
export const formatHolds = (format: string, text: string): boolean => FORMATS[format]?.(text) ?? true;

/** Formats are asserted where we write or read them; RFC 3339 §5.6 for dates and times. */
const FORMATS: Record<string, (text: string) => boolean> = {
  'date-time': (t) => DATE_TIME.test(t) && realDay(t),
  date: (t) => DATE.test(t) && realDay(t),
  time: (t) => TIME.test(t),
  uuid: (t) => /^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(t),
  email: (t) => EMAIL.test(t),
};

const SINGLE = { characters: 'character', items: 'item', properties: 'property' } as const;
const count = (n: number, many: keyof typeof SINGLE): string => `${n} ${n === 1 ? SINGLE[many] : many}`;

const FORMAT_WORDS: Record<string, string> = {
  'date-time': 'a date and time with its offset, e.g. 2026-04-01T08:30:00Z',
  date: 'a date, e.g. 2026-04-01',
  time: 'a time with its offset, e.g. 08:30:00Z',
  uuid: 'a UUID',
  email: 'an e-mail address',
};
