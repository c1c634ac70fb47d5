import {
  Digits,
  escapePointer,
  isNumber,
  pointerParts,
  readJson,
  writeJson,
  writeText,
  printXml,
  type SampleRequest,
  type ShownMessage,
  type TypeRow,
} from '@hinge/core';

/** A value as YAML, to be read and compared. */
export const yamlOf = (value: unknown): string => (value === undefined ? '' : writeText(value, 'yaml'));

/** A shown message as one value with the names that pointers of rows start with: body, soapHeader, path, query, headers. */
export function valueOf(m: ShownMessage | undefined, sample?: SampleRequest): unknown {
  if (!m) return undefined;
  if (m.valueText !== undefined) return { headers: m.headers, ...(tryJson(m.valueText) as object) };
  const body = m.text === undefined ? undefined : /json/i.test(m.mediaType ?? '') ? tryJson(m.text) : m.text;
  return {
    body,
    headers: { ...m.headers, ...sample?.headers },
    path: sample?.path ?? {},
    query: sample?.query ?? {},
    cookies: sample?.cookies ?? {},
  };
}

function tryJson(text: string): unknown {
  try {
    return readJson(text);
  } catch {
    return text;
  }
}

/** Every value at a pointer; `*` stands for all items of a list. At most so many: a row shows four. */
export function valuesAt(value: unknown, pointer: string, most = 2000): unknown[] {
  let at: unknown[] = [value];
  for (const part of pointerParts(pointer)) {
    const next: unknown[] = [];
    for (const v of at) {
      if (part === '*') {
        if (Array.isArray(v)) for (const item of v.slice(0, most - next.length)) next.push(item);
      } else if (v !== null && typeof v === 'object' && !(v instanceof Digits)) {
        // Header fields have their names in lower case; rows keep them as they were written.
        const key = Object.hasOwn(v, part) ? part : pointer.startsWith('/headers/') ? part.toLowerCase() : undefined;
        if (key !== undefined && Object.hasOwn(v, key)) next.push((v as Record<string, unknown>)[key]);
      }
    }
    at = next;
  }
  return at;
}

/** A value for one line of a tree. */
export function brief(values: readonly unknown[]): string {
  if (values.length === 0) return '';
  if (values.length > 1)
    return (
      values
        .slice(0, 4)
        .map((v) => brief([v]))
        .join(', ') + (values.length > 4 ? ' …' : '')
    );
  const v = values[0];
  if (v === null) return 'null';
  if (v === undefined) return '';
  if (Array.isArray(v))
    return v.every((x) => typeof x === 'string' || isNumber(x)) && v.length > 0 && v.length < 5
      ? v.map((x) => brief([x])).join(', ')
      : `${v.length} item${v.length === 1 ? '' : 's'}`;
  if (v instanceof Digits) return v.text;
  if (typeof v === 'object') return '';
  return typeof v === 'string' ? v : String(v);
}

const MOST_ROWS = 5000;

/** Rows for a message of which no type is known: what stands in it. */
export function rowsOfValue(value: unknown): TypeRow[] {
  const rows: TypeRow[] = [];
  const walk = (v: unknown, name: string, pointer: string, depth: number): void => {
    if (rows.length >= MOST_ROWS) return;
    const composite = v !== null && typeof v === 'object' && !(v instanceof Digits);
    rows.push({
      pointer,
      name,
      depth,
      words: Array.isArray(v) ? 'list' : composite ? 'object' : v === null ? 'null' : isNumber(v) ? 'number' : typeof v,
      required: false,
      many: Array.isArray(v),
      nullable: false,
      leaf: !composite,
    });
    if (composite)
      for (const [k, inner] of Object.entries(v)) walk(inner, k, `${pointer}/${escapePointer(k)}`, depth + 1);
  };
  const body = (value as { body?: unknown } | undefined)?.body;
  if (body !== null && typeof body === 'object' && !(body instanceof Digits))
    for (const [k, v] of Object.entries(body)) walk(v, k, `/body/${escapePointer(k)}`, 0);
  return rows;
}

const laidOut: { readonly text: string; readonly mediaType: string | undefined; readonly out: string }[] = [];
const LAID_OUT = 8;

/** Body text laid out for reading. The same text is laid out once, however many messages of however many rehearsals carry it. */
export function layout(m: Pick<ShownMessage, 'text' | 'mediaType'> | undefined): string {
  if (!m?.text) return '';
  const { text, mediaType } = m;
  const known = laidOut.find((l) => l.text === text && l.mediaType === mediaType);
  if (known) return known.out;
  const out = layOut(text, mediaType ?? '');
  laidOut.unshift({ text, mediaType, out });
  laidOut.length = Math.min(laidOut.length, LAID_OUT);
  return out;
}

function layOut(text: string, mediaType: string): string {
  if (/xml/i.test(mediaType)) return printXml(text);
  if (!/json/i.test(mediaType)) return text;
  try {
    return writeJson(readJson(text), 2);
  } catch {
    return text;
  }
}

export function sizeWords(bytes: number): string {
  return bytes < 10_000
    ? `${bytes} bytes`
    : bytes < 1_000_000
      ? `${Math.round(bytes / 1024)} KB`
      : `${(bytes / 1048576).toFixed(1)} MB`;
}

/** "SOAP 1.1", "JSON", else the media type. */
export function formatWords(m: ShownMessage): string {
  if (m.format && m.format !== 'problem') return m.format.split(';')[0]!;
  const e = (m.mediaType ?? '').split(';')[0]!;
  if (e === 'application/problem+json') return 'problem';
  if (e === 'application/json') return 'JSON';
  return e || 'no body';
}
