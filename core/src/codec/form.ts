import { resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import type { FormStyles } from '../contract/openapi/model';
import { writeJson } from './json';
import { Digits } from '../message/digits';
import { isObject, setMember } from '../message/objects';
import { textReader } from './text-values';

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

const MARKS: Readonly<Record<string, string>> = { spaceDelimited: ' ', pipeDelimited: '|' };

/** What stands between the items of a list that is one text in a form; undefined where each has the name for itself. */
export function listMark(styles: FormStyles | undefined, name: string): string | undefined {
  const s = styles && Object.hasOwn(styles, name) ? styles[name] : undefined;
  return s && !s.explode ? (MARKS[s.style] ?? ',') : undefined;
}

/** A form's members as its contract says that they stand: lists in one text, objects by name and member (OpenAPI 3.1 §4.8.15.1). */
export function styledForm(value: unknown, styles: FormStyles | undefined): unknown {
  if (!styles || !isObject(value)) return value;
  const out: Record<string, unknown> = {};
  for (const [name, v] of Object.entries(value)) {
    const s = Object.hasOwn(styles, name) ? styles[name] : undefined;
    const mark = listMark(styles, name);
    const entries = s && isObject(v) ? Object.entries(v) : undefined;
    const deep = s?.style === 'deepObject';
    if (entries && (deep || mark === undefined))
      for (const [k, one] of entries) setMember(out, deep ? `${name}[${k}]` : k, one);
    else if (mark === undefined || !(entries || Array.isArray(v))) setMember(out, name, v);
    else {
      const items = entries ? entries.flat() : (v as unknown[]);
      if (items.length) setMember(out, name, items.map(textOf).join(mark));
    }
  }
  return out;
}

export const textOf = (v: unknown): string =>
  typeof v === 'string' ? v : v instanceof Digits ? v.text : typeof v === 'object' ? writeJson(v) : String(v as number);

/** Names as members; what the schema calls a list is one, what it calls a number or a boolean becomes one. */
export function readForm(
  text: string,
  schema: JsonSchema | undefined,
  types: TypeTable,
  styles?: FormStyles,
): Record<string, unknown> {
  const properties = (schema && resolveSchema(schema, types).properties) ?? {};
  const out: Record<string, unknown> = {};
  for (const [name, raw] of new URLSearchParams(text)) {
    const own = Object.hasOwn(properties, name) ? properties[name] : undefined;
    const s = own && resolveSchema(withoutNull(own, types).inner, types);
    const list = s !== undefined && typesOf(s).includes('array');
    const mark = list ? listMark(styles, name) : undefined;
    const read = textReader(list ? s.items : own, types);
    for (const one of mark === undefined ? [raw] : raw.split(mark)) addMember(out, name, read(one), list);
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
