import { GraphQLError } from 'graphql';
import { TYPE_PROPERTY } from '../contract/xsd';
import {
  objectOf,
  passes,
  refName,
  resolveSchema,
  typesOf,
  ValidatorSet,
  type JsonSchema,
  type TypeTable,
  type Validator,
} from '../schema';

/** Alternatives of a schema as members of a union (specification of October 2021, §3.8). */

/** One object that a value may be. */
export interface Form {
  /** As the schema names it, a reference or in place. */
  readonly schema: JsonSchema;
  readonly object: JsonSchema;
  /** Its own name in the document, where it has one: of what XSD derives, that of the derived type. */
  readonly name?: string;
  /** What it is called beside the name of the union otherwise. */
  readonly label: string;
}

const MOST = 100;

/**
 * The objects that a value may be, forms within forms among them. Undefined where one of them is no object with members, where there is but one, or where
 * members stand beside the alternatives: such a value has no type in a graph.
 */
export function formsOf(s: JsonSchema, types: TypeTable): readonly Form[] | undefined {
  if (s.properties || s.allOf) return undefined;
  const out: Form[] = [];
  const seen = new Set<string>();
  const walk = (alternatives: readonly JsonSchema[], property: string | undefined): boolean =>
    alternatives.every((a, i) => {
      const ref = refName(a);
      if (ref !== undefined && seen.has(ref)) return true;
      if (ref !== undefined) seen.add(ref);
      const r = resolveSchema(a, types);
      if (isNull(r)) return true;
      const inner = r.oneOf ?? r.anyOf;
      if (inner && !r.properties && !r.allOf) return walk(inner, r.discriminator?.propertyName);
      const object = objectOf(r, types);
      if (!object?.properties || !Object.keys(object.properties).length || out.length >= MOST) return false;
      const constant = property === undefined ? undefined : object.properties[property]?.const;
      const derived = object.properties[TYPE_PROPERTY]?.const;
      const name = typeof derived === 'string' ? derived : ref;
      out.push({
        schema: a,
        object,
        ...(name !== undefined && { name }),
        label: a.title ?? r.title ?? (typeof constant === 'string' ? constant : String(i + 1)),
      });
      return true;
    });
  const all = walk(s.oneOf ?? s.anyOf ?? [], s.discriminator?.propertyName);
  return all && out.length > 1 ? out : undefined;
}

const isNull = (s: JsonSchema): boolean => {
  const kinds = typesOf(s);
  return kinds.length === 1 && kinds[0] === 'null';
};

/** One of its alternatives is null. */
export const mayBeNull = (s: JsonSchema, types: TypeTable): boolean => {
  const r = resolveSchema(s, types);
  return [...(r.oneOf ?? []), ...(r.anyOf ?? [])].some((a) => isNull(resolveSchema(a, types)));
};

/**
 * Which of the forms a value is: what its discriminator says, or the first whose schema it fits; at last the first that has all members which must be
 * there. Throws a GraphQLError for what is none of them.
 */
export function formFinder(
  s: JsonSchema,
  forms: readonly Form[],
  names: readonly string[],
  types: TypeTable,
): (value: unknown) => string {
  const byLabel = new Map<string, string>();
  const property = s.discriminator?.propertyName;
  for (const [label, ref] of Object.entries(s.discriminator?.mapping ?? {})) {
    const n = forms.findIndex((f) => f.schema.$ref === ref);
    if (n >= 0) byLabel.set(label, names[n]!);
  }
  const set = new ValidatorSet(types);
  let validators: readonly Validator[] | undefined;
  return (value) => {
    if (value === null || typeof value !== 'object')
      throw new GraphQLError(`The backend answered with a value that is no object; ${names.join(', ')} were expected.`);
    const own = value as Readonly<Record<string, unknown>>;
    const label = property !== undefined && Object.hasOwn(own, property) ? own[property] : undefined;
    const said = typeof label === 'string' ? byLabel.get(label) : undefined;
    if (said !== undefined) return said;
    validators ??= forms.map((f) => set.compile(f.schema));
    let n = validators.findIndex((v) => passes(v, value));
    if (n < 0)
      n = forms.findIndex((f) => f.object.required?.length && f.object.required.every((r) => Object.hasOwn(own, r)));
    if (n < 0) throw new GraphQLError(`The backend answered with an object that is none of ${names.join(', ')}.`);
    return names[n]!;
  };
}
