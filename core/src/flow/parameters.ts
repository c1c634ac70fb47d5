import { decoded } from '../message/percent';
import { defaultForm, readParameter, type ParameterForm } from '../codec/parameters';
import { setMember } from '../message/objects';
import { numberFromText } from '../message/digits';
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
  readonly required: boolean;
  readonly kind: 'scalar' | 'list' | 'object';
  readonly members: readonly string[];
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
  const set = new ValidatorSet(types);
  const compiled = parameters.map((p): CompiledParameter => {
    const s = resolveSchema(withoutNull(p.schema, types).inner, types);
    const list = typesOf(s).includes('array');
    const object = !list && s.properties !== undefined;
    const members = Object.fromEntries(
      Object.entries(s.properties ?? {}).map(([n, m]) => [n, parserFor(resolveSchema(m, types))]),
    );
    const scalar = parserFor(list ? resolveSchema(s.items ?? {}, types) : s);
    return {
      name: p.name,
      in: p.in,
      form: defaultForm(p.name, p.in, p.style, p.explode),
      required: p.in === 'path' || (p.required ?? false),
      kind: list ? 'list' : object ? 'object' : 'scalar',
      members: Object.keys(members),
      parse: (text, member) => (member === undefined ? scalar : (members[member] ?? scalar))(text),
      validate: set.compile(p.schema),
    };
  });
  const known = new Set(compiled.filter((p) => p.in === 'query').flatMap(namesInQuery));
  const strictQuery = parameters.length > 0;
  const wantsCookies = compiled.some((p) => p.in === 'cookie');

  return (path, query, headers) => {
    const out: Parsed = { path: copied(path), query: copied(query), header: {}, cookie: {}, faults: [] };
    const cookies = wantsCookies ? cookiesOf(headers.cookie) : {};
    for (const p of compiled) {
      const values = p.in === 'header' ? headers : p.in === 'path' ? path : p.in === 'cookie' ? cookies : query;
      const raw = readParameter(p.form, p.kind, p.members, values);
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
      const value = valueOf(p, raw);
      for (const f of collectFaults(p.validate, value))
        out.faults.push({ parameter: p.name, code: f.code, detail: f.detail });
      target[p.name] = value;
    }
    if (strictQuery) {
      for (const name of Object.keys(query)) {
        if (!known.has(name))
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

function copied(values: RawValues): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const name in values) setMember(out, name, values[name]);
  return out;
}

function valueOf(p: CompiledParameter, raw: string | readonly string[] | Readonly<Record<string, string>>): unknown {
  if (typeof raw === 'string') return p.parse(raw);
  if (Array.isArray(raw)) return (raw as readonly string[]).map((t) => p.parse(t));
  return Object.fromEntries(
    Object.entries(raw as Readonly<Record<string, string>>).map(([k, v]) => [k, p.parse(v, k)]),
  );
}

/** Names that a query parameter takes: its own, or those of its members. */
function namesInQuery(p: CompiledParameter): string[] {
  if (p.kind !== 'object') return [p.name];
  if (p.form.style === 'deepObject') return p.members.map((m) => `${p.name}[${m}]`);
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

function parserFor(s: JsonSchema): (text: string) => unknown {
  const types = s.anyOf ? s.anyOf.flatMap((o) => typesOf(o)) : typesOf(s);
  const number = types.includes('number') || types.includes('integer');
  const boolean = types.includes('boolean');
  return (text) => {
    if (number && /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/.test(text)) return numberFromText(text);
    if (boolean && (text === 'true' || text === 'false')) return text === 'true';
    return text;
  };
}
