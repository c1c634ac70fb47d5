import { numberFromText } from '../message/digits';
import type { InputFault } from '../problem';
import {
  collectFaults,
  resolveSchema,
  typesOf,
  ValidatorSet,
  type JsonSchema,
  type TypeTable,
  type Validator,
} from '../schema';
import type { ParameterDocument } from './document';

type In = ParameterDocument['in'];

interface CompiledParameter {
  readonly name: string;
  readonly in: In;
  readonly required: boolean;
  readonly list: boolean;
  readonly parse: (text: string) => unknown;
  readonly validate: Validator;
}

export interface Parsed {
  readonly path: Record<string, unknown>;
  readonly query: Record<string, unknown>;
  readonly header: Record<string, unknown>;
  readonly faults: InputFault[];
}

export type RawValues = Readonly<Record<string, string | readonly string[] | undefined>>;

/** Reads parameters by their schemas (OpenAPI style simple for path and header, form exploded for query). What does not fit stays text. */
export function compileParameters(
  parameters: readonly ParameterDocument[],
  types: TypeTable,
): (path: RawValues, query: RawValues, headers: RawValues) => Parsed {
  const set = new ValidatorSet(types);
  const compiled = parameters.map((p): CompiledParameter => {
    const s = resolveSchema(p.schema, types);
    const list = typesOf(s).includes('array');
    return {
      name: p.name,
      in: p.in,
      required: p.in === 'path' || (p.required ?? false),
      list,
      parse: parserFor(list ? resolveSchema(s.items ?? {}, types) : s),
      validate: set.compile(p.schema),
    };
  });
  const headerNames = compiled.map((p) => (p.in === 'header' ? p.name.toLowerCase() : ''));
  const known = new Set(compiled.filter((p) => p.in === 'query').map((p) => p.name));
  const strictQuery = parameters.length > 0;

  return (path, query, headers) => {
    const out: Parsed = { path: { ...path }, query: { ...query }, header: {}, faults: [] };
    compiled.forEach((p, i) => {
      const raw = p.in === 'header' ? headers[headerNames[i]!] : p.in === 'path' ? path[p.name] : query[p.name];
      const target = out[p.in];
      if (raw === undefined) {
        if (p.required)
          out.faults.push({
            parameter: p.name,
            code: 'required',
            detail: `the ${p.in} parameter ${p.name} is missing`,
          });
        return;
      }
      const texts = Array.isArray(raw) ? (raw as readonly string[]) : [raw as string];
      if (!p.list && texts.length > 1) {
        out.faults.push({ parameter: p.name, code: 'type', detail: 'may be given once only' });
        return;
      }
      const value = p.list
        ? (p.in === 'query' ? texts : texts[0]!.split(',').map((t) => t.trim())).map(p.parse)
        : p.parse(texts[0]!);
      for (const f of collectFaults(p.validate, value))
        out.faults.push({ parameter: p.name, code: f.code, detail: f.detail });
      target[p.name] = value;
    });
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
