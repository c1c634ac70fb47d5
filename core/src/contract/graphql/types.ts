import {
  isEnumType,
  isInputObjectType,
  isLeafType,
  isListType,
  isNonNullType,
  isObjectType,
  isScalarType,
  Kind,
  type FieldNode,
  type FragmentDefinitionNode,
  type GraphQLInputType,
  type GraphQLOutputType,
  type GraphQLNamedType,
  type GraphQLSchema,
  type SelectionSetNode,
} from 'graphql';
import { refTo, type JsonSchema, type TypeTable } from '../../schema';

/** GraphQL types as JSON Schema: what is nullable may be null, in an answer every field that was asked for is there (specification of October 2021, §7.1). */

const orNull = (s: JsonSchema): JsonSchema =>
  typeof s.type === 'string' && !s.enum && s.$ref === undefined
    ? { ...s, type: [s.type, 'null'] }
    : Object.keys(s).every((k) => k === 'title')
      ? s
      : { anyOf: [s, { type: 'null' }] };

/** The same without null. */
export const withoutNullForm = (s: JsonSchema): JsonSchema =>
  Array.isArray(s.type) ? { ...s, type: s.type[0] } : (s.anyOf?.[0] ?? s);

const described = (s: JsonSchema, description: string | null | undefined): JsonSchema =>
  description ? { ...s, description } : s;

/** Scalars of the specification (§3.5); what others hold nobody knows, but for those that scalars.graphql.org names. */
function leafSchema(type: GraphQLNamedType): JsonSchema {
  if (isEnumType(type)) return { type: 'string', enum: type.getValues().map((v) => v.name) };
  switch (type.name) {
    case 'Int':
      return { type: 'integer', format: 'int32' };
    case 'Float':
      return { type: 'number' };
    case 'Boolean':
      return { type: 'boolean' };
    case 'String':
    case 'ID':
      return { type: 'string' };
    case 'Date':
      return { type: 'string', format: 'date' };
    case 'DateTime':
      return { type: 'string', format: 'date-time' };
    default:
      return { title: type.name };
  }
}

export class GraphqlTypes {
  readonly types: Record<string, JsonSchema> & TypeTable = {};

  constructor(private readonly schema: GraphQLSchema) {}

  /** The value of an argument or a variable. */
  input(type: GraphQLInputType): JsonSchema {
    if (isNonNullType(type)) return this.inputInner(type.ofType as GraphQLInputType);
    return orNull(this.inputInner(type));
  }

  private inputInner(type: GraphQLInputType): JsonSchema {
    if (isListType(type)) return { type: 'array', items: this.input(type.ofType as GraphQLInputType) };
    if (!isInputObjectType(type)) return leafSchema(type as GraphQLNamedType);
    if (!this.types[type.name]) {
      this.types[type.name] = {};
      const fields = Object.values(type.getFields());
      const required = fields.filter((f) => isNonNullType(f.type) && f.defaultValue === undefined).map((f) => f.name);
      this.types[type.name] = described(
        {
          type: 'object',
          properties: Object.fromEntries(fields.map((f) => [f.name, described(this.input(f.type), f.description)])),
          ...(required.length && { required }),
          additionalProperties: false,
        },
        type.description,
      );
    }
    return refTo(type.name);
  }

  /** What answers a selection. */
  selection(
    type: GraphQLNamedType,
    set: SelectionSetNode,
    fragments: ReadonlyMap<string, FragmentDefinitionNode>,
  ): JsonSchema {
    const properties: Record<string, JsonSchema> = {};
    const required = new Set<string>();
    const merged = new Map<string, { type: GraphQLNamedType; nodes: FieldNode[]; always: boolean }>();
    const collect = (at: GraphQLNamedType, s: SelectionSetNode, always: boolean): void => {
      for (const x of s.selections) {
        const certain = always && !x.directives?.length;
        if (x.kind === Kind.FIELD) {
          const key = x.alias?.value ?? x.name.value;
          const have = merged.get(key);
          if (have) {
            have.nodes.push(x);
            have.always ||= certain;
          } else merged.set(key, { type: at, nodes: [x], always: certain });
          continue;
        }
        const fragment = x.kind === Kind.INLINE_FRAGMENT ? x : fragments.get(x.name.value);
        if (!fragment) continue;
        const on = fragment.typeCondition ? this.schema.getType(fragment.typeCondition.name.value)! : at;
        collect(on, fragment.selectionSet, certain && on === type);
      }
    };
    collect(type, set, true);
    for (const [key, { type: at, nodes, always }] of merged) {
      const [first] = nodes;
      if (first!.name.value === '__typename') {
        properties[key] = { type: 'string' };
        if (always) required.add(key);
        continue;
      }
      const field = 'getFields' in at ? at.getFields()[first!.name.value] : undefined;
      if (!field) continue;
      const inner: SelectionSetNode = {
        kind: Kind.SELECTION_SET,
        selections: nodes.flatMap((n) => n.selectionSet?.selections ?? []),
      };
      properties[key] = described(this.output(field.type as GraphQLOutputType, inner, fragments), field.description);
      if (always) required.add(key);
    }
    return { type: 'object', properties, ...(required.size && { required: [...required] }) };
  }

  output(
    type: GraphQLOutputType,
    set: SelectionSetNode,
    fragments: ReadonlyMap<string, FragmentDefinitionNode>,
  ): JsonSchema {
    if (isNonNullType(type)) return this.outputInner(type.ofType as GraphQLOutputType, set, fragments);
    return orNull(this.outputInner(type, set, fragments));
  }

  private outputInner(
    type: GraphQLOutputType,
    set: SelectionSetNode,
    fragments: ReadonlyMap<string, FragmentDefinitionNode>,
  ): JsonSchema {
    if (isListType(type))
      return { type: 'array', items: this.output(type.ofType as GraphQLOutputType, set, fragments) };
    if (isLeafType(type)) return leafSchema(type);
    return this.selection(type as GraphQLNamedType, set, fragments);
  }

  /** An object with everything that `wholeSelection` asks of it, under its name: what lies deeper may be missing. */
  whole(type: GraphQLNamedType): JsonSchema {
    if (isLeafType(type)) return leafSchema(type);
    if (!this.types[type.name]) {
      this.types[type.name] = {};
      const properties: Record<string, JsonSchema> = {};
      const required: string[] = [];
      for (const field of wholeFields(this.schema, type)) {
        const leaf = isLeafType(named(field.type));
        properties[field.name] = described(this.wholeOutput(field.type), field.description);
        if (leaf && field.always) required.push(field.name);
      }
      if (!isObjectType(type)) properties.__typename = { type: 'string' };
      this.types[type.name] = described(
        { type: 'object', properties, ...(required.length && { required }) },
        type.description,
      );
    }
    return refTo(type.name);
  }

  wholeOutput(type: GraphQLOutputType): JsonSchema {
    if (isNonNullType(type)) return this.wholeInner(type.ofType as GraphQLOutputType);
    return orNull(this.wholeInner(type));
  }

  private wholeInner(type: GraphQLOutputType): JsonSchema {
    return isListType(type)
      ? { type: 'array', items: this.wholeOutput(type.ofType as GraphQLOutputType) }
      : this.whole(type as GraphQLNamedType);
  }
}

const named = (type: GraphQLOutputType): GraphQLNamedType =>
  isNonNullType(type) || isListType(type) ? named(type.ofType as GraphQLOutputType) : (type as GraphQLNamedType);

interface WholeField {
  readonly name: string;
  readonly type: GraphQLOutputType;
  readonly description?: string | null;
  /** It is there whatever the object is. */
  readonly always: boolean;
  /** Of which of the possible types; undefined: of the type itself. */
  readonly on?: string;
}

/** Fields that can be asked for without an argument; of interfaces and unions also those of the possible types, where a name means one thing. */
function wholeFields(schema: GraphQLSchema, type: GraphQLNamedType): WholeField[] {
  const own = 'getFields' in type && !isInputObjectType(type) ? Object.values(type.getFields()) : [];
  const free = (f: (typeof own)[number]) => f.args.every((a) => !isNonNullType(a.type) || a.defaultValue !== undefined);
  const out: WholeField[] = own
    .filter(free)
    .map((f) => ({ name: f.name, type: f.type, description: f.description, always: true }));
  if (isObjectType(type) || isScalarType(type) || !('name' in type) || isEnumType(type) || isInputObjectType(type))
    return out;
  const seen = new Map(out.map((f) => [f.name, String(f.type)]));
  for (const possible of schema.getPossibleTypes(type))
    for (const f of Object.values(possible.getFields()).filter(free)) {
      const have = seen.get(f.name);
      if (out.some((o) => o.name === f.name && o.on === undefined) || (have !== undefined && have !== String(f.type)))
        continue;
      seen.set(f.name, String(f.type));
      out.push({ name: f.name, type: f.type, description: f.description, always: false, on: possible.name });
    }
  return out;
}

/** Levels of objects, and fields in all, that a drafted query asks for. */
const DEEPEST = 3;
const MOST_FIELDS = 300;

/** Everything of a type, some levels deep, as a selection without its braces; empty for a leaf. */
export function wholeSelection(schema: GraphQLSchema, type: GraphQLOutputType): string {
  let left = MOST_FIELDS;
  const write = (t: GraphQLNamedType, depth: number, open: readonly string[]): string => {
    if (isLeafType(t)) return '';
    const groups = new Map<string | undefined, string[]>();
    for (const f of wholeFields(schema, t)) {
      if (left <= 0) break;
      const inner = named(f.type);
      let text = f.name;
      if (!isLeafType(inner)) {
        if (depth >= DEEPEST || open.includes(inner.name)) continue;
        const below = write(inner, depth + 1, [...open, inner.name]);
        if (!below) continue;
        text += ` { ${below} }`;
      }
      left--;
      const group = groups.get(f.on);
      if (group) group.push(text);
      else groups.set(f.on, [text]);
    }
    const parts = [...groups].map(([on, fields]) => (on ? `... on ${on} { ${fields.join(' ')} }` : fields.join(' ')));
    if (!isObjectType(t)) parts.unshift('__typename');
    return parts.join(' ') || '__typename';
  };
  const root = named(type);
  return write(root, 1, [root.name]);
}
