import { decoded } from '../message/percent';
import { parameterForm, readParameter, type Members, type ParameterForm } from '../codec/parameters';
import { MediaError } from '../codec/media';
import { setMember } from '../message/objects';
import { deepReader, type DeepReader } from '../codec/deep-object';
import { textReader } from '../codec/text-values';
import type { InputFault } from '../problem';
import {
  collectFaults,
  resolveSchema,
  typesOf,
  ValidatorSet,
  withoutNull,
  type JsonSchema,
  type TypeTable,
  type Validator,
} from '../schema';
import type { ParameterDocument } from './document';

interface CompiledParameter {
  readonly name: string;
  readonly in: ParameterDocument['in'];
  readonly form: ParameterForm;
  /** Of the style deepObject. */
  readonly deep?: DeepReader;
  readonly mediaType?: string;
  readonly required: boolean;
  readonly kind: 'scalar' | 'list' | 'object';
  readonly members: readonly string[];
  /** Of a list: for items that have a type by their place. */
  readonly first: readonly ((text: string) => unknown)[];
  readonly listMembers: ReadonlySet<string>;
  /** Takes members that its schema does not name. */
  readonly open: boolean;
  readonly parse: (text: string, member?: string) => unknown;
  readonly validate: Validator;
}

export interface Parsed {
  readonly path: Record<string, unknown>;
  readonly query: Record<string, unknown>;
  readonly header: Record<string, unknown>;
  readonly cookie: Record<string, unknown>;
  readonly faults: InputFault[];
}

export type RawValues = Readonly<Record<string, string | readonly string[] | undefined>>;

/** Reads parameters by their schemas and styles (OpenAPI 3.1 §4.8.12). What does not fit stays text. */
export function compileParameters(
  parameters: readonly ParameterDocument[],
  types: TypeTable,
): (path: RawValues, query: RawValues, headers: RawValues) => Parsed {
  const compiled = compileEach(parameters, types);
  const known = new Set(compiled.filter((p) => p.in === 'query').flatMap(namesInQuery));
  const deep = compiled.flatMap((p) => (p.deep ? [p.deep] : []));
  const isKnown = namesOf(compiled);
  const strictQuery = parameters.length > 0;
  const wantsCookies = compiled.some((p) => p.in === 'cookie');

  return (path, query, headers) => {
    const out: Parsed = { path: copied(path), query: copied(query), header: {}, cookie: {}, faults: [] };
    const cookies = wantsCookies ? cookiesOf(headers.cookie) : {};
    for (const p of compiled) {
      const values = p.in === 'header' ? headers : p.in === 'path' ? path : p.in === 'cookie' ? cookies : query;
      const members =
        p.open && p.in === 'query'
          ? (name: string) => p.members.includes(name) || !(known.has(name) || deep.some((d) => d.knows(name)))
          : p.members;
      const raw = p.deep ? (p.deep.read(query) as Members | undefined) : readParameter(p.form, p.kind, members, values);
      const target = out[p.in];
      if (raw === undefined) {
        if (p.required)
          out.faults.push({
            parameter: p.name,
            code: 'required',
            detail: `the ${p.in} parameter ${p.name} is missing`,
          });
        continue;
      }
      if (p.kind === 'scalar' && typeof raw !== 'string') {
        out.faults.push({ parameter: p.name, code: 'type', detail: 'may be given once only' });
        continue;
      }
      const value = p.deep ? raw : p.form.content ? messageOf(p, raw as string, out.faults) : valueOf(p, raw);
      if (value === undefined) continue;
      for (const f of collectFaults(p.validate, value))
        out.faults.push({ parameter: p.name, code: f.code, detail: within(f) });
      target[p.name] = value;
    }
    if (strictQuery) {
      for (const name of Object.keys(query)) {
        if (!isKnown(name))
          out.faults.push({
            parameter: name,
            code: 'additionalProperties',
            detail: `the query parameter ${name} is not known here`,
          });
      }
    }
    return out;
  };
}

const isList = (s: JsonSchema, types: TypeTable): boolean =>
  typesOf(resolveSchema(withoutNull(s, types).inner, types)).includes('array');

/** A schema, or that of its items where it is a list. */
function itemsOr(schema: JsonSchema, types: TypeTable): JsonSchema {
  const s = resolveSchema(withoutNull(schema, types).inner, types);
  return isList(s, types) ? (s.items ?? {}) : s;
}

function compileEach(parameters: readonly ParameterDocument[], types: TypeTable): CompiledParameter[] {
  const set = new ValidatorSet(types);
  return parameters.map((p): CompiledParameter => {
    const s = resolveSchema(withoutNull(p.schema, types).inner, types);
    const list = isList(s, types);
    const more = s.additionalProperties ?? s.properties === undefined;
    const object = !list && (s.properties !== undefined || (typesOf(s).includes('object') && more !== false));
    const form = parameterForm(p, types);
    const members = Object.fromEntries(
      Object.entries(s.properties ?? {}).map(([n, m]) => [n, textReader(itemsOr(m, types), types)]),
    );
    const listMembers = Object.keys(members).filter((n) => isList(s.properties![n]!, types));
    const rest = object && typeof more === 'object' ? more : s;
    const scalar = textReader(list ? s.items : itemsOr(rest, types), types);
    return {
      name: p.name,
      in: p.in,
      form,
      ...(object && p.in === 'query' && form.style === 'deepObject' && { deep: deepReader(p.name, p.schema, types) }),
      mediaType: p.mediaType,
      required: p.in === 'path' || (p.required ?? false),
      kind: form.content ? 'scalar' : list ? 'list' : object ? 'object' : 'scalar',
      members: Object.keys(members),
      listMembers: new Set(listMembers),
      open: object && !form.content && more !== false,
      first: (s.prefixItems ?? []).map((item) => textReader(itemsOr(item, types), types)),
      // Of an open object callers choose the names: none of them may be one that every object has.
      parse: (text, member) =>
        (member !== undefined && Object.hasOwn(members, member) ? members[member]! : scalar)(text),
      validate: set.compile(p.schema),
    };
  });
}

/** Which names in a query are of some parameter: its own, or those of its members. */
export const queryNames = (parameters: readonly ParameterDocument[], types: TypeTable): ((name: string) => boolean) =>
  namesOf(compileEach(parameters, types));

function namesOf(compiled: readonly CompiledParameter[]): (name: string) => boolean {
  const inQuery = compiled.filter((p) => p.in === 'query');
  const known = new Set(inQuery.flatMap(namesInQuery));
  // One that names no member, each with a name of its own, takes all that nobody else does.
  const takesAll = inQuery.some((p) => p.open && p.form.style === 'form' && p.form.explode);
  const deep = inQuery.flatMap((p) => (p.deep ? [p.deep] : []));
  return (name) => known.has(name) || takesAll || deep.some((d) => d.knows(name));
}

/** Where in the value of a parameter, where it is not the whole: a member or an item. What is missing names itself. */
function within({ pointer, code, detail }: InputFault): string {
  const named = code === 'required' && pointer?.lastIndexOf('/') === 0;
  return pointer && !named ? `${pointer} ${detail}` : detail;
}

function copied(values: RawValues): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const name in values) setMember(out, name, values[name]);
  return out;
}

/** The value of a parameter that is a message of its own; undefined where it cannot be read, with a fault that says why. */
function messageOf(p: CompiledParameter, raw: string, faults: InputFault[]): unknown {
  try {
    return p.form.content!.read(raw).value;
  } catch (error) {
    if (!(error instanceof MediaError)) throw error;
    faults.push({ parameter: p.name, code: 'syntax', detail: `is no ${p.mediaType}: ${error.message}` });
    return undefined;
  }
}

function valueOf(p: CompiledParameter, raw: string | readonly string[] | Members): unknown {
  if (typeof raw === 'string') return p.parse(raw);
  if (Array.isArray(raw)) return (raw as readonly string[]).map((t, i) => (p.first[i] ?? p.parse)(t));
  return Object.fromEntries(
    Object.entries(raw as Members).map(([k, v]) => [
      k,
      typeof v === 'string' && !p.listMembers.has(k) ? p.parse(v, k) : [v].flat().map((t) => p.parse(t, k)),
    ]),
  );
}

/** Names that a query parameter takes: its own, or those of its members. */
function namesInQuery(p: CompiledParameter): string[] {
  if (p.kind !== 'object') return [p.name];
  if (p.deep) return [];
  return p.form.explode ? [...p.members] : [p.name];
}

/** RFC 6265 §5.4: pairs by semicolon. */
function cookiesOf(header: string | readonly string[] | undefined): Record<string, string> {
  const out: Record<string, string> = {};
  const text = typeof header === 'string' ? header : (header?.[0] ?? '');
  for (const part of text.split(';')) {
    const at = part.indexOf('=');
    if (at < 0) continue;
    const name = part.slice(0, at).trim();
    if (!Object.hasOwn(out, name)) out[name] = decoded(part.slice(at + 1).trim());
  }
  return out;
}
