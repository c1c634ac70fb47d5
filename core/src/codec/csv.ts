import Papa from 'papaparse';
import { Digits } from '../message/digits';
import { resolveSchema, typesOf, type JsonSchema, type TypeTable } from '../schema';
import { setMember } from '../message/objects';
import { textReader } from './text-values';
import { writeJson } from './json';

export interface CsvSettings {
  readonly delimiter: string;
  /** The first line names the columns; without it rows are lists. */
  readonly header: boolean;
}

export const CSV: CsvSettings = { delimiter: ',', header: true };

/** A list, which has a form as CSV: a line for each item. */
export const isTable = (schema: JsonSchema | undefined, types: TypeTable): boolean =>
  schema !== undefined && typesOf(resolveSchema(schema, types)).includes('array');

/** RFC 4180: rows as objects by the names of the first line, or as lists. Throws Error with the line for what is no CSV. */
export function readCsv(
  text: string,
  settings: CsvSettings = CSV,
  schema?: JsonSchema,
  types: TypeTable = {},
): unknown[] {
  const result = Papa.parse<Record<string, string> | string[]>(text.replace(/\r?\n$/, ''), {
    delimiter: settings.delimiter,
    header: settings.header,
    skipEmptyLines: true,
  });
  const bad = result.errors.find((e) => e.code !== 'UndetectableDelimiter');
  if (bad) throw new Error(`line ${(bad.row ?? 0) + (settings.header ? 2 : 1)}: ${bad.message}`);
  const item = schema && resolveSchema(resolveSchema(schema, types).items ?? {}, types);
  const properties = item?.properties;
  if (!settings.header || !properties || !typesOf(item).includes('object')) return result.data;
  const readers = new Map(Object.entries(properties).map(([name, p]) => [name, textReader(p, types)]));
  return (result.data as Record<string, string>[]).map((row) => {
    const out: Record<string, unknown> = {};
    for (const [name, v] of Object.entries(row)) {
      const read = readers.get(name);
      // An empty cell of an optional column is nothing, not an empty text.
      if (v === '' && read && !item.required?.includes(name)) continue;
      setMember(out, name, read ? read(v) : v);
    }
    return out;
  });
}

/** A list of objects, or of lists; columns in the order in which they first come. */
export function writeCsv(value: unknown, settings: CsvSettings = CSV): string {
  const rows = Array.isArray(value) ? (value as unknown[]) : [value];
  const cell = (v: unknown): string =>
    v === null || v === undefined
      ? ''
      : typeof v === 'string'
        ? v
        : v instanceof Digits
          ? v.text
          : typeof v === 'object'
            ? writeJson(v)
            : String(v as number);
  const lists = rows.every((r) => Array.isArray(r));
  const columns = lists
    ? []
    : [...new Set(rows.flatMap((r) => (r !== null && typeof r === 'object' ? Object.keys(r) : ['value'])))];
  const data = lists
    ? (rows as unknown[][]).map((r) => r.map(cell))
    : rows.map((r) =>
        columns.map((c) => cell(r !== null && typeof r === 'object' ? (r as Record<string, unknown>)[c] : r)),
      );
  return Papa.unparse(lists || !settings.header ? data : [columns, ...data], { delimiter: settings.delimiter });
}
