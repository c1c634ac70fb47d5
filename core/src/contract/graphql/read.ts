import {
  buildASTSchema,
  buildClientSchema,
  GraphQLError,
  isNonNullType,
  isTypeSystemDefinitionNode,
  isTypeSystemExtensionNode,
  Kind,
  parse,
  print,
  Source,
  typeFromAST,
  validate,
  visit,
  type DefinitionNode,
  type DocumentNode,
  type FragmentDefinitionNode,
  type GraphQLField,
  type GraphQLInputType,
  type GraphQLSchema,
  type IntrospectionQuery,
  type OperationDefinitionNode,
} from 'graphql';
import { LIMITS } from '../../limits';
import { finding, HingeError, type Finding, type Place } from '../../problem';
import type { JsonSchema } from '../../schema';
import type { Contract, ContractFiles, ContractOperation, FaultShape } from '../model';
import { GraphqlTypes, wholeSelection, withoutNullForm } from './types';

/** A text in GraphQL's own language, or what a server answered to the introspection query. */
export function isGraphql(text: string): boolean {
  if (/^\ufeff?\s*\{/.test(text)) return /"__schema"\s*:\s*\{/.test(text.slice(0, 2000));
  const plain = text.replace(/^\ufeff/, '').replace(/^\s*(?:#[^\n]*\n|"""[\s\S]*?"""|"[^"\n]*"\s*\n|\s)*/, '');
  return /^(?:extend\s+)?(?:type|interface|input|enum|union|scalar|directive|fragment|query|mutation)\s+@?[_A-Za-z]\w*|^(?:extend\s+)?schema\s*[@{]|^query\s*[({]|^mutation\s*[({]/.test(
    plain,
  );
}

/** The part of a field of the error `nothing`: its value was null. */
export const NOTHING = 'nothing';

interface Texts {
  readonly schema: GraphQLSchema;
  /** Documents that hold operations and fragments, by file. */
  readonly documents: readonly { readonly file: string; readonly node: DocumentNode }[];
}

/** The types of a GraphQL contract: its own language in one file or several, or an introspection result. Throws HingeError. */
export function schemaOf(source: ContractFiles): GraphQLSchema {
  return read(source).schema;
}

function read({ entry, files }: ContractFiles): Texts {
  const documents: { file: string; node: DocumentNode }[] = [];
  let schema: GraphQLSchema | undefined;
  const system: DefinitionNode[] = [];
  for (const [file, text] of Object.entries(files)) {
    if (text.length > LIMITS.contractBytes)
      throw new HingeError('HNG-103', `${file} is larger than ${LIMITS.contractBytes} characters`, { file });
    if (!isGraphql(text)) continue;
    try {
      if (/^\ufeff?\s*\{/.test(text)) {
        const value = JSON.parse(text) as { data?: unknown; __schema?: unknown };
        schema = buildClientSchema((value.data ?? value) as IntrospectionQuery);
        continue;
      }
      const node = parse(new Source(text.replace(/^\ufeff/, ''), file), { maxTokens: 500_000 });
      const isSystem = (d: DocumentNode['definitions'][number]) =>
        isTypeSystemDefinitionNode(d) || isTypeSystemExtensionNode(d);
      system.push(...node.definitions.filter(isSystem));
      const executable = node.definitions.filter((d) => !isSystem(d));
      if (executable.length) documents.push({ file, node: { ...node, definitions: executable } });
    } catch (error) {
      throw wrong(error, file);
    }
  }
  try {
    if (system.length) schema = buildASTSchema({ kind: Kind.DOCUMENT, definitions: system });
  } catch (error) {
    throw wrong(error, entry);
  }
  if (!schema) throw new HingeError('HNG-122', `${entry} holds no GraphQL types`, { file: entry });
  if (!schema.getQueryType()) throw new HingeError('HNG-124', `${entry} has no type Query`, { file: entry });
  return { schema, documents };
}

function wrong(error: unknown, file: string): HingeError {
  const at = error instanceof GraphQLError ? error.locations?.[0] : undefined;
  const own = error instanceof GraphQLError ? error.source?.name : undefined;
  return new HingeError('HNG-116', (error as Error).message, {
    file: own ?? file,
    ...(at && { line: at.line, column: at.column }),
  });
}

/**
 * One operation for each field of Query and Mutation, which asks for everything of its type some levels deep, and one for each operation that stands in a document beside the
 * types: what that selects is the reply. Variables are the request. Throws HingeError.
 */
export function readGraphql(source: ContractFiles): Contract {
  const { schema, documents } = read(source);
  const file = source.entry;
  const findings: Finding[] = [];
  const types = new GraphqlTypes(schema);
  const operations: ContractOperation[] = [];
  const ids = new Set<string>();
  const free = (wanted: string): string => {
    let id = wanted;
    for (let n = 2; ids.has(id); n++) id = `${wanted}${n}`;
    ids.add(id);
    return id;
  };
  for (const { file: own, node } of documents) {
    const errors = validate(schema, node);
    for (const e of errors.slice(0, 20)) throw wrong(e, own);
    const fragments = new Map(
      node.definitions.flatMap((d) => (d.kind === Kind.FRAGMENT_DEFINITION ? [[d.name.value, d] as const] : [])),
    );
    for (const d of node.definitions) {
      if (d.kind !== Kind.OPERATION_DEFINITION) continue;
      const at = d.loc?.startToken;
      const place = { file: own, ...(at && { line: at.line, column: at.column }) };
      if (d.operation === 'subscription' || !d.name) {
        findings.push(
          finding(
            'HNG-128',
            d.name ? `the subscription ${d.name.value} is left out` : 'an operation without a name is left out',
            place,
          ),
        );
        continue;
      }
      operations.push(fromDocument(free(d.name.value), d, fragments, schema, types, place));
    }
  }
  for (const kind of ['query', 'mutation'] as const) {
    const root = kind === 'query' ? schema.getQueryType() : schema.getMutationType();
    for (const field of Object.values(root?.getFields() ?? {}))
      operations.push(fromField(free(field.name), kind, field, schema, types, placeOf(field, file)));
  }
  const streams = Object.keys(schema.getSubscriptionType()?.getFields() ?? {});
  if (streams.length)
    findings.push(finding('HNG-128', `subscriptions are left out: ${streams.slice(0, 10).join(', ')}`, { file }));
  if (!operations.length) throw new HingeError('HNG-124', `${file} has no field of Query or Mutation`, { file });
  return {
    format: 'graphql',
    name: file.replace(/^.*\//, '').replace(/\.\w+$/, ''),
    documentation: schema.description ?? undefined,
    addresses: [],
    operations,
    types: types.types,
    findings,
  };
}

const placeOf = (field: GraphQLField<unknown, unknown>, file: string): Place => {
  const { loc } = field.astNode ?? {};
  const at = loc?.startToken;
  return { file: loc?.source.name ?? file, ...(at && { line: at.line, column: at.column }) };
};

function fromField(
  id: string,
  kind: 'query' | 'mutation',
  field: GraphQLField<unknown, unknown>,
  schema: GraphQLSchema,
  types: GraphqlTypes,
  place: Place,
): ContractOperation {
  const whole = wholeSelection(schema, field.type);
  const defined = field.args.map((a) => `$${a.name}: ${String(a.type)}`).join(', ');
  const given = field.args.map((a) => `${a.name}: $${a.name}`).join(', ');
  const text = `${kind} ${id}${defined && `(${defined})`} { ${field.name}${given && `(${given})`}${whole && ` { ${whole} }`} }`;
  const required = field.args.filter((a) => isNonNullType(a.type) && a.defaultValue === undefined).map((a) => a.name);
  const properties = Object.fromEntries(
    field.args.map((a) => [a.name, { ...types.input(a.type), ...(a.description && { description: a.description }) }]),
  );
  const nullable = !isNonNullType(field.type);
  const inner = types.wholeOutput(field.type);
  return {
    id,
    name: field.name,
    documentation: field.description ?? undefined,
    request: requestOf(properties, required),
    // Null for the only field is the error `nothing`, unless a flow lets it be.
    reply: { body: nullable ? withoutNullForm(inner) : inner, headers: [], mediaType: 'application/json' },
    faults: nullable ? [nothing] : [],
    place,
    graphql: { kind, query: text, operationName: id, take: field.name, drafted: true },
    ...(field.deprecationReason && { documentation: `Deprecated: ${field.deprecationReason}` }),
  };
}

const nothing: FaultShape = { name: NOTHING, schema: {}, documentation: 'The answer was null' };

function fromDocument(
  id: string,
  d: OperationDefinitionNode,
  fragments: ReadonlyMap<string, FragmentDefinitionNode>,
  schema: GraphQLSchema,
  types: GraphqlTypes,
  place: Place,
): ContractOperation {
  const properties: Record<string, JsonSchema> = {};
  const required: string[] = [];
  for (const v of d.variableDefinitions ?? []) {
    const type = typeFromAST(schema, v.type as never) as GraphQLInputType;
    properties[v.variable.name.value] = types.input(type);
    if (isNonNullType(type) && !v.defaultValue) required.push(v.variable.name.value);
  }
  const root = schema.getRootType(d.operation)!;
  const data = types.selection(root, d.selectionSet, fragments);
  const keys = Object.keys(data.properties ?? {});
  const only = keys.length === 1 ? keys[0] : undefined;
  const shown = only === undefined ? data : data.properties![only]!;
  const nullable = only !== undefined && withoutNullForm(shown) !== shown;
  const used = usedFragments(d, fragments);
  return {
    id,
    name: id,
    request: requestOf(properties, required),
    reply: { body: nullable ? withoutNullForm(shown) : shown, headers: [], mediaType: 'application/json' },
    faults: nullable ? [nothing] : [],
    place,
    graphql: {
      kind: d.operation as 'query' | 'mutation',
      query: [d, ...used].map((n) => print(n)).join('\n'),
      // As the document says: the id may be another, where two files have the same name.
      operationName: d.name!.value,
      ...(only !== undefined && { take: only }),
    },
  };
}

const requestOf = (
  properties: Record<string, JsonSchema>,
  required: readonly string[],
): ContractOperation['request'] => ({
  body: {
    type: 'object',
    properties,
    ...(required.length && { required: [...required] }),
    additionalProperties: false,
  },
  headers: [],
  mediaType: 'application/json',
});

function usedFragments(
  d: OperationDefinitionNode,
  fragments: ReadonlyMap<string, FragmentDefinitionNode>,
): FragmentDefinitionNode[] {
  const out = new Map<string, FragmentDefinitionNode>();
  const walk = (node: OperationDefinitionNode | FragmentDefinitionNode): void =>
    void visit(node, {
      FragmentSpread(s) {
        const f = fragments.get(s.name.value);
        if (!f || out.has(s.name.value)) return;
        out.set(s.name.value, f);
        walk(f);
      },
    });
  walk(d);
  return [...out.values()];
}
