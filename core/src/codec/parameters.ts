import type { ParameterPlace, ParameterStyle } from '../contract/openapi/model';
import { Digits } from '../message/digits';
import { writeJson } from './json';

/** How a parameter stands in a request (OpenAPI 3.1 §4.8.12.2 to §4.8.12.6; RFC 6570 for the first three). */
export interface ParameterForm {
  readonly name: string;
  readonly in: ParameterPlace;
  readonly style: ParameterStyle;
  readonly explode: boolean;
}

export const defaultForm = (
  name: string,
  place: ParameterPlace,
  style?: ParameterStyle,
  explode?: boolean,
): ParameterForm => {
  const s = style ?? (place === 'query' || place === 'cookie' ? 'form' : 'simple');
  return { name, in: place, style: s, explode: explode ?? s === 'form' };
};

const encode = encodeURIComponent;

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
export function writeSimple(p: ParameterForm, value: unknown): string {
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
export function writeQuery(p: ParameterForm, value: unknown): string[] {
  const name = encode(p.name);
  if (Array.isArray(value)) {
    const items = value.map((v) => encode(scalarText(v)));
    if (items.length === 0) return [];
    if (p.explode) return items.map((v) => `${name}=${v}`);
    const mark = p.style === 'spaceDelimited' ? '%20' : p.style === 'pipeDelimited' ? '%7C' : ',';
    return [`${name}=${items.join(mark)}`];
  }
  if (isObject(value)) {
    const entries = entriesOf(value, encode);
    if (p.style === 'deepObject') return entries.map(([k, v]) => `${name}%5B${k}%5D=${v}`);
    if (p.explode) return entries.map(([k, v]) => `${k}=${v}`);
    return [`${name}=${entries.flat().join(',')}`];
  }
  return [`${name}=${encode(scalarText(value))}`];
}

export type Raw = string | readonly string[] | undefined;

/** What a parameter holds, as texts: one, a list, or members of an object. Undefined where it is not given. */
export function readParameter(
  p: ParameterForm,
  kind: 'scalar' | 'list' | 'object',
  members: readonly string[],
  values: Readonly<Record<string, Raw>>,
): string | readonly string[] | Readonly<Record<string, string>> | undefined {
  const own = p.in === 'header' ? values[p.name.toLowerCase()] : values[p.name];
  if (kind === 'object' && p.in === 'query' && (p.style === 'deepObject' || p.explode)) {
    const out: Record<string, string> = {};
    for (const member of members) {
      const v = values[p.style === 'deepObject' ? `${p.name}[${member}]` : member];
      if (v !== undefined) out[member] = typeof v === 'string' ? v : v[0]!;
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

function isObject(v: unknown): v is Record<string, unknown> {
  return v !== null && typeof v === 'object' && !(v instanceof Digits);
}
