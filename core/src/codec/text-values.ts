import { numberFromText } from '../message/digits';
import { passes, resolveSchema, typesOf, ValidatorSet, type JsonSchema, type TypeTable } from '../schema';

/** What a text stands for where everything is text: parameters, fields of forms, cells of a table. */
export type TextReader = (text: string) => unknown;

const NUMBER = /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/;
const readers = new WeakMap<TypeTable, WeakMap<JsonSchema, TextReader>>();
const NO_TYPES: TypeTable = {};

/**
 * Texts as numbers or booleans where the schema has such, in any of its forms; else as they are. Where it has texts too, a number is one only
 * where the schema takes it as one.
 */
export function textReader(schema: JsonSchema | undefined, types: TypeTable = NO_TYPES): TextReader {
  if (!schema) return asItIs;
  let known = readers.get(types);
  if (!known) readers.set(types, (known = new WeakMap<JsonSchema, TextReader>()));
  let reader = known.get(schema);
  if (!reader) known.set(schema, (reader = makeReader(schema, types)));
  return reader;
}

const asItIs: TextReader = (text) => text;

function makeReader(schema: JsonSchema, types: TypeTable): TextReader {
  const kinds = new Set<string>();
  collect(schema, types, kinds, 0);
  const number = kinds.has('number') || kinds.has('integer');
  const boolean = kinds.has('boolean');
  if (!number && !boolean) return asItIs;
  const fits = kinds.has('string') ? fitter(schema, types) : () => true;
  return (text) => {
    const value =
      number && NUMBER.test(text)
        ? numberFromText(text)
        : boolean && (text === 'true' || text === 'false')
          ? text === 'true'
          : undefined;
    return value !== undefined && fits(value) ? value : text;
  };
}

function fitter(schema: JsonSchema, types: TypeTable): (value: unknown) => boolean {
  const validate = new ValidatorSet(types).compile(schema);
  return (value) => passes(validate, value);
}

/** Kinds of values that a schema speaks of, by type, const and enumeration, in all of its forms. */
function collect(schema: JsonSchema, types: TypeTable, kinds: Set<string>, depth: number): void {
  if (depth > 8) return;
  const s = resolveSchema(schema, types);
  for (const type of typesOf(s)) kinds.add(type);
  if (typesOf(s).length === 0)
    for (const value of s.const === undefined ? (s.enum ?? []) : [s.const]) kinds.add(typeof value);
  for (const part of [...(s.anyOf ?? []), ...(s.oneOf ?? []), ...(s.allOf ?? [])])
    collect(part, types, kinds, depth + 1);
}
