import { resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import { numberFromText } from '../message/digits';
import { writeJson } from './json';
import { Digits } from '../message/digits';
import { setMember } from '../message/objects';

/** application/x-www-form-urlencoded (WHATWG URL §5): members of one object, a list as a name given several times. */
export function writeForm(value: unknown): string {
  const out = new URLSearchParams();
  if (value === null || typeof value !== 'object') return '';
  for (const [name, v] of Object.entries(value)) {
    for (const one of Array.isArray(v) ? (v as unknown[]) : [v])
      if (one !== undefined && one !== null) out.append(name, textOf(one));
  }
  return out.toString();
}

export const textOf = (v: unknown): string =>
  typeof v === 'string' ? v : v instanceof Digits ? v.text : typeof v === 'object' ? writeJson(v) : String(v as number);

/** Names as members; what the schema calls a list is one, what it calls a number or a boolean becomes one. */
export function readForm(text: string, schema: JsonSchema | undefined, types: TypeTable): Record<string, unknown> {
  const properties = (schema && resolveSchema(schema, types).properties) ?? {};
  const out: Record<string, unknown> = {};
  for (const [name, raw] of new URLSearchParams(text)) {
    const s = Object.hasOwn(properties, name)
      ? resolveSchema(withoutNull(properties[name]!, types).inner, types)
      : undefined;
    const list = s !== undefined && typesOf(s).includes('array');
    const value = typed(raw, list ? resolveSchema(s.items ?? {}, types) : s);
    addMember(out, name, value, list);
  }
  return out;
}

/** One more value of a name: a list where its schema says so, or where it is given several times. */
export function addMember(out: Record<string, unknown>, name: string, value: unknown, list: boolean): void {
  const have = Object.hasOwn(out, name) ? out[name] : undefined;
  if (list || have !== undefined)
    setMember(out, name, [...(have === undefined ? [] : Array.isArray(have) ? (have as unknown[]) : [have]), value]);
  else setMember(out, name, value);
}

/** A text as the schema's number or boolean, where it is exactly one; else as it is. */
export function typed(text: string, schema: JsonSchema | undefined): unknown {
  const wanted = schema ? typesOf(schema) : [];
  if ((wanted.includes('number') || wanted.includes('integer')) && /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/.test(text))
    return numberFromText(text);
  if (wanted.includes('boolean') && (text === 'true' || text === 'false')) return text === 'true';
  return text;
}
