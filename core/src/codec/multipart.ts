import { resolveSchema, typesOf, withoutNull, type JsonSchema, type TypeTable } from '../schema';
import { charsetOf, essence, isJson } from '../message/headers';
import { fromLatin1, latin1 } from '../message/latin1';
import type { FormStyles } from '../contract/openapi/model';
import { addMember, listMark, textOf } from './form';
import { readJson, writeJson } from './json';
import { textReader } from './text-values';
import { isObject, type ShapeFault } from './xml';

/**
 * multipart/form-data (RFC 7578, over RFC 2046 §5.1) as JSON and back. Texts of this media type are bytes: each character is one (`Body` knows it). A part of text
 * is a string, a number or a boolean, as its schema says; a part of JSON is what it holds; a file is an object of `data` (base64), `filename` and `mediaType`, so
 * that nothing of it is lost. A member that is a list is as many parts of the same name (§4.3).
 */

const MOST_PARTS = 1000;
const MOST_HEADER = 16 * 1024;

/** What a file is as JSON. */
export const FILE: JsonSchema = {
  type: 'object',
  required: ['data'],
  properties: {
    data: { type: 'string', contentEncoding: 'base64', description: 'Bytes of the file' },
    filename: { type: 'string', examples: ['file.bin'] },
    mediaType: { type: 'string', examples: ['application/octet-stream'] },
  },
  additionalProperties: false,
};

export class MultipartError extends Error {}

interface Part {
  readonly name: string;
  readonly filename?: string;
  readonly mediaType?: string;
  /** A character for each byte. */
  readonly content: string;
}

/** Bytes by their own words: `format: binary` of OpenAPI 3.0, `contentMediaType` without an encoding of 3.1 (§4.8.14.3). */
const isBytes = (s: JsonSchema): boolean =>
  s.contentEncoding === undefined &&
  (s.format === 'binary' ||
    (s.contentMediaType !== undefined && (s.type === undefined || typesOf(s).includes('string'))));

const isFile = (s: JsonSchema): boolean => s.properties?.data?.contentEncoding === 'base64';

function fileOf(mediaType: string | undefined): JsonSchema {
  if (mediaType === undefined) return FILE;
  return { ...FILE, properties: { ...FILE.properties, mediaType: { type: 'string', examples: [mediaType] } } };
}

/** The schema of a form as JSON has it: its files are objects. Also of a form that stands so already. */
export function formAsJson(schema: JsonSchema, types: TypeTable): JsonSchema {
  const r = resolveSchema(schema, types);
  if (!r.properties) return schema;
  let changed = false;
  const properties = Object.fromEntries(
    Object.entries(r.properties).map(([name, p]) => {
      const own = withoutNull(resolveSchema(p, types), types).inner;
      const list = typesOf(own).includes('array');
      if (!isBytes(list ? resolveSchema(own.items ?? {}, types) : own)) return [name, p];
      changed = true;
      const item = list ? resolveSchema(own.items ?? {}, types) : own;
      const file = fileOf(item.contentMediaType);
      return [
        name,
        list ? { ...own, items: file } : { ...file, ...(own.description && { description: own.description }) },
      ];
    }),
  );
  return changed ? { ...r, properties } : schema;
}

export function readMultipart(
  text: string,
  mediaType: string | undefined,
  schema: JsonSchema | undefined,
  types: TypeTable,
  styles?: FormStyles,
): Record<string, unknown> {
  const properties = (schema && resolveSchema(formAsJson(schema, types), types).properties) ?? {};
  const out: Record<string, unknown> = {};
  for (const part of partsOf(text, boundaryOf(mediaType) ?? firstBoundary(text))) {
    const { name } = part;
    const s = Object.hasOwn(properties, name)
      ? withoutNull(resolveSchema(properties[name]!, types), types).inner
      : undefined;
    const list = s !== undefined && typesOf(s).includes('array');
    const item = list ? resolveSchema(s.items ?? {}, types) : s;
    const plain = part.filename === undefined && !isJson(part.mediaType);
    const several = list && plain ? listMark(styles, name) : undefined;
    for (const content of several === undefined ? [part.content] : part.content.split(several))
      addMember(out, name, valueOf({ ...part, content }, item, types), list);
  }
  return out;
}

function valueOf(part: Part, schema: JsonSchema | undefined, types: TypeTable): unknown {
  const { filename, mediaType, content } = part;
  const textual = mediaType === undefined || /^text\//.test(essence(mediaType)) || isJson(mediaType);
  if (schema ? isFile(schema) : filename !== undefined || !textual)
    return {
      data: btoa(isBytesText(content) ? content : encode(content)),
      ...(filename !== undefined && { filename }),
      ...(mediaType !== undefined && { mediaType }),
    };
  const text = decode(content, charsetOf(mediaType));
  const wanted = schema ? typesOf(schema) : [];
  if (isJson(mediaType) || wanted.includes('object') || wanted.includes('array'))
    try {
      return readJson(text);
    } catch (error) {
      throw new MultipartError(`the part ${part.name} is no JSON: ${(error as Error).message}`, { cause: error });
    }
  return textReader(schema, types)(text);
}

/** Parts, and the media type that names what parts them. `encoding`: content types of parts by name (OpenAPI 3.1 §4.8.15). */
export function writeMultipart(
  value: unknown,
  schema: JsonSchema | undefined,
  types: TypeTable,
  encoding: Readonly<Record<string, string>> = {},
): { readonly text: string; readonly mediaType: string; readonly faults: readonly ShapeFault[] } {
  const properties = (schema && resolveSchema(formAsJson(schema, types), types).properties) ?? {};
  const faults: ShapeFault[] = [];
  const parts: string[] = [];
  const members = isObject(value) ? Object.entries(value) : [];
  if (!isObject(value))
    faults.push({ pointer: '', words: 'must be an object, its members are the parts', kind: 'type' });
  for (const [name, v] of members) {
    const s = Object.hasOwn(properties, name)
      ? withoutNull(resolveSchema(properties[name]!, types), types).inner
      : undefined;
    const many = Array.isArray(v) && (!s || typesOf(s).includes('array'));
    const item = many && s ? resolveSchema(s.items ?? {}, types) : s;
    (many ? (v as unknown[]) : [v]).forEach((one, n) => {
      if (one === undefined || one === null) return;
      const made = partFor(name, one, item, encoding[name]);
      if (typeof made === 'string') parts.push(made);
      else faults.push({ pointer: `/${name.replace(/~/g, '~0').replace(/\//g, '~1')}${many ? `/${n}` : ''}`, ...made });
    });
  }
  let boundary: string;
  do boundary = `hinge-${crypto.randomUUID()}`;
  while (parts.some((p) => p.includes(boundary)));
  const text = `${parts.map((p) => `--${boundary}\r\n${p}\r\n`).join('')}--${boundary}--\r\n`;
  return { text, mediaType: `multipart/form-data; boundary=${boundary}`, faults };
}

/** Header and content of a part; what is wrong with its value, where it can be none. */
function partFor(
  name: string,
  v: unknown,
  schema: JsonSchema | undefined,
  type: string | undefined,
): string | { words: string; kind: 'type' } {
  const head = `Content-Disposition: form-data; name="${quoted(name)}"`;
  const file =
    isObject(v) && typeof v.data === 'string' && (schema ? isFile(schema) : looksLikeFile(v)) ? v : undefined;
  if (file) {
    let content: string;
    try {
      content = atob(file.data as string);
    } catch {
      return { words: 'data must be base64 (RFC 4648 §4)', kind: 'type' };
    }
    const filename = typeof file.filename === 'string' ? file.filename : name;
    const given = typeof file.mediaType === 'string' && isField(file.mediaType) ? file.mediaType : undefined;
    const mediaType = given ?? type ?? 'application/octet-stream';
    return `${head}; filename="${quoted(filename)}"\r\nContent-Type: ${mediaType}\r\n\r\n${content}`;
  }
  if (schema && isFile(schema)) return { words: 'must be a file: an object with data in base64', kind: 'type' };
  if (typeof v === 'object' && (isObject(v) || Array.isArray(v)))
    return `${head}\r\nContent-Type: ${type ?? 'application/json'}\r\n\r\n${encode(writeJson(v))}`;
  // RFC 7578 §4.4: text/plain where nothing is said.
  return `${head}${type === undefined ? '' : `\r\nContent-Type: ${type}`}\r\n\r\n${encode(textOf(v))}`;
}

const looksLikeFile = (v: Readonly<Record<string, unknown>>): boolean =>
  Object.keys(v).every((k) => k === 'data' || k === 'filename' || k === 'mediaType');

/** As browsers write names (HTML, "multipart/form-data encoding algorithm"): a quote and line ends as %22, %0D and %0A. */
const quoted = (text: string): string => encode(text.replace(/"/g, '%22').replace(/\r/g, '%0D').replace(/\n/g, '%0A'));
const unquoted = (text: string): string =>
  decode(text.replace(/\\(["\\])/g, '$1'), undefined)
    .replace(/%22/g, '"')
    .replace(/%0D/gi, '\r')
    .replace(/%0A/gi, '\n');
// eslint-disable-next-line no-control-regex -- RFC 9110 §5.5: none of these may stand in a field
const isField = (text: string): boolean => !/[\u0000-\u001f\u007f]|[^\u0000-\u00ff]/.test(text);

/** RFC 2046 §5.1.1: one to 70 characters. */
function boundaryOf(mediaType: string | undefined): string | undefined {
  const found = /;\s*boundary\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s;]+))/i.exec(mediaType ?? '');
  const text = found?.[1]?.replace(/\\(.)/g, '$1') ?? found?.[2];
  if (text === undefined) return undefined;
  if (!text || text.length > 70) throw new MultipartError('the boundary must have one to 70 characters');
  return text;
}

function firstBoundary(text: string): string {
  const found = /^--([^\r\n]{1,70})\r\n/.exec(text)?.[1];
  if (found === undefined) throw new MultipartError('the content type names no boundary');
  return found.replace(/--$/, '');
}

function* partsOf(text: string, boundary: string): Generator<Part> {
  const mark = `--${boundary}`;
  let at = text.startsWith(mark) ? 0 : text.indexOf(`\r\n${mark}`) + 2;
  if (at === 1) throw new MultipartError('the boundary of its content type does not stand in it');
  for (let n = 0; ; n++) {
    at += mark.length;
    if (text.startsWith('--', at)) return;
    // Spaces may stand behind it (§5.1.1, transport-padding).
    const line = /[ \t]*\r\n/y;
    line.lastIndex = at;
    const padding = line.exec(text);
    if (!padding) throw new MultipartError(`part ${n + 1} does not begin behind its boundary`);
    if (n >= MOST_PARTS) throw new MultipartError(`it has more than ${MOST_PARTS} parts`);
    at += padding[0].length;
    const end = text.indexOf(`\r\n${mark}`, at - 2);
    if (end < 0) throw new MultipartError(`part ${n + 1} is cut off: its closing boundary is missing`);
    const blank = text.startsWith('\r\n', at) ? at : text.indexOf('\r\n\r\n', at) + 2;
    if (blank === 1 || blank > end || blank - at > MOST_HEADER)
      throw new MultipartError(`part ${n + 1} has no header, or one that is too long`);
    yield partOf(text.slice(at, blank), text.slice(Math.min(blank + 2, end), end), n);
    at = end + 2;
  }
}

function partOf(header: string, content: string, n: number): Part {
  const fields: Record<string, string> = {};
  for (const line of header.replace(/\r\n[ \t]+/g, ' ').split('\r\n')) {
    const colon = line.indexOf(':');
    if (colon > 0) fields[line.slice(0, colon).trim().toLowerCase()] = line.slice(colon + 1).trim();
  }
  const disposition = fields['content-disposition'] ?? '';
  const parameter = (name: string): string | undefined => {
    const found = new RegExp(`;\\s*${name}\\s*=\\s*(?:"((?:[^"\\\\]|\\\\.)*)"|([^\\s;"]+))`, 'i').exec(disposition);
    const text = found?.[1] ?? found?.[2];
    return text === undefined ? undefined : unquoted(text);
  };
  const name = /^form-data\s*;/i.test(disposition) ? parameter('name') : undefined;
  if (name === undefined) throw new MultipartError(`part ${n + 1} has no name (RFC 7578 §4.2)`);
  const filename = parameter('filename');
  const mediaType = fields['content-type'];
  return { name, content, ...(filename !== undefined && { filename }), ...(mediaType !== undefined && { mediaType }) };
}

/** UTF-8 as characters of its bytes, and back. */
const encode = (text: string): string => latin1(new TextEncoder().encode(text));

/** Of a form that came as bytes; one that a person wrote as text may hold others. */
// eslint-disable-next-line no-control-regex -- characters that are one byte
const isBytesText = (text: string): boolean => /^[\u0000-\u00ff]*$/.test(text);

function decode(bytes: string, charset: string | undefined): string {
  if (!isBytesText(bytes)) return bytes;
  const raw = fromLatin1(bytes);
  try {
    return new TextDecoder(charset).decode(raw);
  } catch {
    throw new MultipartError(`the charset ${charset} is not known`);
  }
}
