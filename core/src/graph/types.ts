import {
  GraphQLBoolean,
  GraphQLEnumType,
  GraphQLFloat,
  GraphQLInputObjectType,
  GraphQLInt,
  GraphQLList,
  GraphQLNonNull,
  GraphQLObjectType,
  GraphQLString,
  GraphQLUnionType,
  type GraphQLFieldConfigMap,
  type GraphQLInputType,
  type GraphQLOutputType,
} from 'graphql';
import {
  isMarked,
  jsonTypeOf,
  objectOf,
  refName,
  resolveSchema,
  typesOf,
  withoutNull,
  type JsonSchema,
  type Marked,
  type TypeTable,
} from '../schema';
import { TYPE_PROPERTY } from '../contract/xsd';
import { GraphDate, GraphDateTime, GraphJson, GraphLong, GraphTime } from './scalars';
import { formFinder, formsOf, mayBeNull, type Form } from './unions';

/** JSON Schema as types of GraphQL (specification of October 2021, §3), made once for each name. */

/** A name that GraphQL allows (§2.1.9), and that is not reserved (§3: no two underscores in front). */
export function graphName(text: string): string {
  const plain = text
    .replace(/[^A-Za-z0-9_]+(.)?/g, (_m, c: string | undefined) => (c ?? '').toUpperCase())
    .replace(/^_+/, '');
  return /^[A-Za-z]/.test(plain) ? plain : `_${plain || 'x'}`;
}

export const pascal = (text: string): string => {
  const name = graphName(text);
  return name.charAt(0).toUpperCase() + name.slice(1);
};
export const camel = (text: string): string => {
  const name = graphName(text);
  return name.charAt(0).toLowerCase() + name.slice(1);
};

/** Fields that another operation resolves, by the name of the type in the document. */
export type JoinFields = (typeName: string) => GraphQLFieldConfigMap<unknown, unknown>;

const INT32 = 2 ** 31;

/** Input has nothing that only replies have, output nothing that only requests have; a type of nothing else keeps all. */
function membersFor(object: JsonSchema, types: TypeTable, without: Marked): [string, JsonSchema][] {
  const all = Object.entries(object.properties!);
  const own = all.filter(([, s]) => !isMarked(s, types, without));
  return own.length ? own : all;
}

export class TypeMaker {
  private readonly outputs = new Map<string, GraphQLOutputType>();
  private readonly inputs = new Map<string, GraphQLInputType>();
  private readonly enums = new Map<string, GraphQLEnumType>();
  private readonly taken = new Set(['Query', 'Mutation', 'Subscription', 'Date', 'DateTime', 'Time', 'Long', 'JSON']);
  /** Names that had to be changed because they were taken: wanted, given. */
  readonly clashes: [string, string][] = [];

  constructor(
    private readonly types: TypeTable,
    private readonly joins: JoinFields,
  ) {}

  /** The type of a value that comes out; nullable. `hint` names what has no name of its own. */
  output(schema: JsonSchema, hint: string): GraphQLOutputType {
    const { s, name } = this.open(schema, hint);
    if (typesOf(s).includes('array'))
      return new GraphQLList(this.needed(this.output(s.items ?? {}, name), s.items ?? {}));
    const forms = hasForms(s) ? formsOf(s, this.types) : undefined;
    if (forms) return this.unionType(s, forms, name);
    const object = objectOf(s, this.types);
    if (object?.properties && Object.keys(object.properties).length && !hasForms(s))
      return this.objectType(object, name, refName(this.bare(schema)));
    return this.simple(s, name);
  }

  /** The type of a value that goes in; nullable. */
  input(schema: JsonSchema, hint: string): GraphQLInputType {
    const { s, name } = this.open(schema, hint);
    if (typesOf(s).includes('array'))
      return new GraphQLList(this.neededIn(this.input(s.items ?? {}, name), s.items ?? {}));
    const object = objectOf(s, this.types);
    if (!object?.properties || !Object.keys(object.properties).length || hasForms(s)) return this.simple(s, name);
    const known = this.inputs.get(name);
    if (known) return known;
    const made = new GraphQLInputObjectType({
      name: this.free(/Input$/.test(name) ? name : `${name}Input`),
      description: object.description ?? s.description,
      fields: () =>
        Object.fromEntries(
          named(membersFor(object, this.types, 'readOnly')).map(([field, original, property]) => {
            const type = this.input(property, `${name}${pascal(original)}`);
            const needed = object.required?.includes(original) && property.default === undefined;
            return [
              field,
              {
                type: needed ? this.neededIn(type, property) : type,
                description: property.description,
                extensions: { original },
              },
            ];
          }),
        ),
    });
    this.inputs.set(name, made);
    return made;
  }

  /** Which form a value is, the value says (§3.8, and the name of the type is what __typename gives). */
  private unionType(s: JsonSchema, forms: readonly Form[], name: string): GraphQLOutputType {
    const known = this.outputs.get(name);
    if (known) return known;
    const own = this.free(name);
    let find: ((value: unknown) => string) | undefined;
    const members = (): GraphQLObjectType[] =>
      forms.map((f) => this.objectType(f.object, pascal(f.name ?? `${name} ${f.label}`), f.name) as GraphQLObjectType);
    let made: GraphQLObjectType[] | undefined;
    const types = () => (made ??= members());
    const union = new GraphQLUnionType({
      name: own,
      description: s.description,
      types,
      resolveType: (value) =>
        (find ??= formFinder(
          s,
          forms,
          types().map((t) => t.name),
          this.types,
        ))(value),
    });
    this.outputs.set(name, union);
    return union;
  }

  private objectType(object: JsonSchema, name: string, documentName: string | undefined): GraphQLOutputType {
    const known = this.outputs.get(name);
    if (known) return known;
    const made = new GraphQLObjectType<unknown, unknown>({
      name: this.free(name),
      description: object.description,
      fields: () => ({
        ...Object.fromEntries(
          named(membersFor(object, this.types, 'writeOnly').filter(isShown)).map(([field, original, property]) => {
            const type = this.output(property, `${name}${pascal(original)}`);
            return [
              field,
              {
                type: object.required?.includes(original) ? this.needed(type, property) : type,
                description: property.description,
                extensions: { property: original },
                resolve: (source: unknown) =>
                  source !== null && typeof source === 'object' && Object.hasOwn(source, original)
                    ? (source as Record<string, unknown>)[original]
                    : undefined,
              },
            ];
          }),
        ),
        ...(documentName === undefined ? {} : this.joins(documentName)),
      }),
    });
    this.outputs.set(name, made);
    return made;
  }

  private simple(s: JsonSchema, name: string) {
    const said = typesOf(s).length || s.const === undefined ? typesOf(s) : [jsonTypeOf(s.const)];
    const kinds = said.filter((t) => t !== 'null');
    const values = (s.enum ?? []).filter((v) => v !== null);
    if (values.length && values.every((v) => typeof v === 'string')) return this.enumType(values as string[], name, s);
    if (kinds.length !== 1)
      return kinds.length === 2 && kinds.includes('integer') && kinds.includes('number') ? GraphQLFloat : GraphJson;
    switch (kinds[0]) {
      case 'string':
        return s.format === 'date'
          ? GraphDate
          : s.format === 'date-time'
            ? GraphDateTime
            : s.format === 'time'
              ? GraphTime
              : GraphQLString;
      case 'integer':
        return s.format === 'int32' || (bounded(s.minimum) && bounded(s.maximum))
          ? GraphQLInt
          : s.format === 'int64' || beyond(s)
            ? GraphLong
            : GraphQLInt;
      case 'number':
        return GraphQLFloat;
      case 'boolean':
        return GraphQLBoolean;
      default:
        return GraphJson;
    }
  }

  private enumType(values: readonly string[], name: string, s: JsonSchema): GraphQLEnumType {
    const known = this.enums.get(name);
    if (known) return known;
    const members = named(
      values.map((v) => [v, v] as const),
      (v) => {
        const n = v.replace(/[^A-Za-z0-9_]+/g, '_');
        // true, false and null are no enum values (§3.9).
        return /^[A-Za-z_]/.test(n) && !/^(true|false|null)$|^__/.test(n) ? n : `_${n.replace(/^_+/, '')}`;
      },
    );
    const made = new GraphQLEnumType({
      name: this.free(name),
      description: s.description,
      values: Object.fromEntries(members.map(([n, value]) => [n, { value }])),
    });
    this.enums.set(name, made);
    return made;
  }

  private bare = (schema: JsonSchema): JsonSchema => withoutNull(schema, this.types).inner;

  private open(schema: JsonSchema, hint: string): { s: JsonSchema; name: string } {
    const inner = this.bare(schema);
    return { s: resolveSchema(inner, this.types), name: pascal(refName(inner) ?? hint) };
  }

  private needed(type: GraphQLOutputType, s: JsonSchema): GraphQLOutputType {
    const nullable = withoutNull(s, this.types).nullable || mayBeNull(this.bare(s), this.types);
    return nullable ? type : new GraphQLNonNull(type as never);
  }

  private neededIn(type: GraphQLInputType, s: JsonSchema): GraphQLInputType {
    return withoutNull(s, this.types).nullable ? type : new GraphQLNonNull(type as never);
  }

  private free(wanted: string): string {
    let name = wanted;
    for (let n = 2; this.taken.has(name); n++) name = `${wanted}${n}`;
    this.taken.add(name);
    if (name !== wanted) this.clashes.push([wanted, name]);
    return name;
  }
}

/** Which form it is, __typename says. */
const isShown = ([name, s]: readonly [string, JsonSchema]): boolean => name !== TYPE_PROPERTY || s.const === undefined;

const bounded = (n: number | undefined): boolean => n !== undefined && n >= -INT32 && n < INT32;
const beyond = (s: JsonSchema): boolean =>
  (s.maximum !== undefined && s.maximum >= INT32) || (s.minimum !== undefined && s.minimum < -INT32);

/** It has several forms. Alternatives that only say which members must be there are none: a choice of a schema is written so. */
const hasForms = (s: JsonSchema): boolean =>
  [...(s.oneOf ?? []), ...(s.anyOf ?? [])].some((o) => Object.keys(o).some((k) => k !== 'required' && k !== 'not'));

/** Each with a name that GraphQL allows and no other has; who is called so already keeps the name. */
export function named<V>(
  entries: readonly (readonly [string, V])[],
  nameOf: (text: string) => string = graphName,
): (readonly [name: string, original: string, value: V])[] {
  const taken = new Set(entries.flatMap(([o]) => (nameOf(o) === o ? [o] : [])));
  return entries.map(([original, value]) => {
    const wanted = nameOf(original);
    if (wanted === original) return [wanted, original, value] as const;
    let name = wanted;
    for (let n = 2; taken.has(name); n++) name = `${wanted}${n}`;
    taken.add(name);
    return [name, original, value] as const;
  });
}
