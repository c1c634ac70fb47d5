import type { ParameterPlace, ParameterStyle } from '../contract/openapi/model';
import { Digits } from '../message/digits';
import { isObject, setMember } from '../message/objects';
import { isJson } from '../message/headers';
import type { JsonSchema, TypeTable } from '../schema';
import { writeJson } from './json';
import { deepEntries } from './deep-object';
import { mediaCodec, type MediaCodec } from './media';

/** How a parameter stands in a request (OpenAPI 3.1 §4.8.12.2 to §4.8.12.6; RFC 6570 for the first three). */
export interface ParameterForm {
  readonly name: string;
  readonly in: ParameterPlace;
  readonly style: ParameterStyle;
  readonly explode: boolean;
  /** Where the value stands as a message of a media type of its own (§4.8.12.3, content). */
  readonly content?: MediaCodec;
}

interface Described {
  readonly name: string;
  readonly in: ParameterPlace;
  readonly schema: JsonSchema;
  readonly style?: ParameterStyle;
  readonly explode?: boolean;
  readonly mediaType?: string;
}

/** Style and explode as they are when nothing is said; a media type without a form as JSON means plain text. */
export function parameterForm(p: Described, types: TypeTable): ParameterForm {
  const style = p.style ?? (p.in === 'query' || p.in === 'cookie' ? 'form' : 'simple');
  const form = { name: p.name, in: p.in, style, explode: p.explode ?? style === 'form' };
  if (p.mediaType === undefined) return form;
  const codec = mediaCodec(p.mediaType, { schema: p.schema, types, root: p.name }) ?? mediaCodec('text/plain')!;
  const ascii = p.in === 'header' && isJson(p.mediaType);
  const content: MediaCodec = ascii ? { ...codec, write: (v) => inAscii(codec.write(v)) } : codec;
  return { ...form, style: p.in === 'query' || p.in === 'cookie' ? 'form' : 'simple', content };
}

/** Fields of a header hold ASCII (RFC 9110 §5.5); JSON can say everything in it (RFC 8259 §7). */
function inAscii(written: ReturnType<MediaCodec['write']>): ReturnType<MediaCodec['write']> {
  const escaped = (c: string) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`;
  return { ...written, text: written.text.replace(/[^\x20-\x7e]/g, escaped) };
}

const encode = encodeURIComponent;

/** Where a parameter has a media type, what stands in its place; else the value itself. */
const contentOf = (p: ParameterForm, value: unknown): unknown => (p.content ? p.content.write(value).text : value);

function scalarText(v: unknown): string {
  if (v === null || v === undefined) return '';
  if (typeof v === 'string') return v;
  return v instanceof Digits ? v.text : typeof v === 'object' ? writeJson(v) : String(v as number);
}

type Entries = readonly (readonly [string, string])[];

function entriesOf(v: object, enc: (t: string) => string): Entries {
  return Object.entries(v)
    .filter(([, x]) => x !== undefined)
    .map(([k, x]) => [enc(k), enc(scalarText(x))] as const);
}

/** The text of a path segment, a header field or a cookie's value. */
export function writeSimple(p: ParameterForm, given: unknown): string {
  const value = contentOf(p, given);
  const enc = p.in === 'path' ? encode : (t: string) => t;
  const list = Array.isArray(value) ? value.map((v) => enc(scalarText(v))) : undefined;
  const entries = !list && isObject(value) ? entriesOf(value, enc) : undefined;
  const name = enc(p.name);
  const pairs = (mark: string) => entries!.map(([k, v]) => `${k}=${v}`).join(mark);
  const flat = () => (list ?? entries!.flat()).join(',');
  switch (p.style) {
    case 'label':
      if (!list && !entries) return `.${enc(scalarText(value))}`;
      if (!p.explode) return `.${flat()}`;
      return `.${list ? list.join('.') : pairs('.')}`;
    case 'matrix':
      if (!list && !entries) return `;${name}=${enc(scalarText(value))}`;
      if (!p.explode) return `;${name}=${flat()}`;
      return `;${list ? list.map((v) => `${name}=${v}`).join(';') : pairs(';')}`;
    default:
      if (!list && !entries) return enc(scalarText(value));
      return list || !p.explode ? flat() : pairs(',');
  }
}

/** The parts of a query string, joined by & by the caller; none for an empty list. */
export function writeQuery(p: ParameterForm, given: unknown): string[] {
  const value = contentOf(p, given);
  const name = encode(p.name);
  if (Array.isArray(value)) {
    const items = value.map((v) => encode(scalarText(v)));
    if (items.length === 0) return [];
    if (p.explode) return items.map((v) => `${name}=${v}`);
    const mark = p.style === 'spaceDelimited' ? '%20' : p.style === 'pipeDelimited' ? '%7C' : ',';
    return [`${name}=${items.join(mark)}`];
  }
  if (isObject(value)) {
    if (p.style === 'deepObject')
      return [...deepEntries(p.name, value)].map(([n, v]) => `${encode(n)}=${encode(scalarText(v))}`);
    if (!p.explode) return [`${name}=${entriesOf(value, encode).flat().join(',')}`];
    // A list within stands member by member, as callers may send it (common practice; §4.8.12.3 leaves it open).
    return Object.entries(value).flatMap(([k, v]) =>
      (Array.isArray(v) ? (v as unknown[]) : v === undefined ? [] : [v]).map(
        (one) => `${encode(k)}=${encode(scalarText(one))}`,
      ),
    );
  }
  return [`${name}=${encode(scalarText(value))}`];
}

export type Raw = string | readonly string[] | undefined;
export type Members = Readonly<Record<string, string | readonly string[]>>;

/** What a parameter holds, as texts: one, a list, or members of an object. Undefined where it is not given. */
export function readParameter(
  p: ParameterForm,
  kind: 'scalar' | 'list' | 'object',
  members: readonly string[] | ((name: string) => boolean),
  values: Readonly<Record<string, Raw>>,
): string | readonly string[] | Members | undefined {
  const own = p.in === 'header' ? values[p.name.toLowerCase()] : values[p.name];
  if (kind === 'object' && p.in === 'query' && p.explode) {
    const out: Record<string, string | readonly string[]> = {};
    // Members of an object that names none of them: what no other parameter is called.
    for (const member of typeof members === 'function' ? Object.keys(values).filter(members) : members) {
      const v = values[member];
      if (v !== undefined) setMember(out, member, v);
    }
    return Object.keys(out).length ? out : undefined;
  }
  if (own === undefined) return undefined;
  if (kind === 'scalar') return typeof own === 'string' ? stripped(p, own) : own;
  const texts = typeof own === 'string' ? [own] : own;
  const mark = p.style === 'spaceDelimited' ? ' ' : p.style === 'pipeDelimited' ? '|' : ',';
  if (kind === 'list') {
    if (p.in === 'query' && p.explode && p.style === 'form') return texts;
    const text = stripped(p, texts[0]!);
    if (p.style === 'label' && p.explode) return text.split('.');
    if (p.style === 'matrix' && p.explode) return text.split(';').map((t) => t.replace(/^[^=]*=/, ''));
    return texts.length > 1 ? texts : text.split(mark).map((t) => t.trim());
  }
  const text = stripped(p, texts[0]!);
  const pairs = p.explode
    ? text.split(p.style === 'label' ? '.' : p.style === 'matrix' ? ';' : ',').map((t) => t.split('=', 2))
    : chunk(text.split(mark));
  return Object.fromEntries(pairs.map(([k, v]) => [k!.trim(), (v ?? '').trim()]));
}

/** Without the mark that a label or a matrix puts in front. */
function stripped(p: ParameterForm, text: string): string {
  if (p.style === 'label') return text.replace(/^\./, '');
  if (p.style !== 'matrix') return text;
  return p.explode
    ? text.replace(/^;/, '').replace(new RegExp(`^${escapeRegExp(p.name)}=(?=[^;]*$)`), '')
    : text.replace(/^;[^=]*=/, '');
}

const escapeRegExp = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

function chunk(parts: readonly string[]): string[][] {
  const out: string[][] = [];
  for (let i = 0; i < parts.length; i += 2) out.push([parts[i]!, parts[i + 1] ?? '']);
  return out;
}
