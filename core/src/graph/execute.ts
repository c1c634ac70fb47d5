import {
  execute,
  GraphQLError,
  getOperationAST,
  Kind,
  NoSchemaIntrospectionCustomRule,
  parse,
  specifiedRules,
  validate,
  type DocumentNode,
  type FragmentDefinitionNode,
  type GraphQLSchema,
  type SelectionSetNode,
} from 'graphql';

import type { Code } from '../problem';

/** Bounds of one query; what is beyond them is refused before anything is called. */
export interface GraphLimits {
  /** Nesting of fields. */
  readonly depth: number;
  /** Fields in all, fragments counted where they are spread. */
  readonly fields: number;
  /** __schema and __type may be asked for. */
  readonly introspection: boolean;
}

export const GRAPH_LIMITS: GraphLimits = { depth: 15, fields: 500, introspection: true };
/** Characters of a query. */
const LONGEST = 100_000;

export interface GraphRequest {
  readonly query: string;
  readonly variables?: Readonly<Record<string, unknown>>;
  readonly operationName?: string;
}

export interface GraphResult {
  /** Absent when the request was refused before it was executed (GraphQL over HTTP, §6.4). */
  readonly data?: unknown;
  readonly errors?: readonly unknown[];
  readonly kind?: 'query' | 'mutation' | 'subscription';
}

/** Reads and checks a request: what it may execute, or why it may not. */
export function readGraphRequest(
  schema: GraphQLSchema,
  request: GraphRequest,
  limits: GraphLimits,
): { document: DocumentNode; kind: 'query' | 'mutation' | 'subscription' } | { errors: readonly GraphQLError[] } {
  if (request.query.length > LONGEST)
    return {
      errors: [new GraphQLError(`The query has ${request.query.length} characters; at most ${LONGEST} are read.`)],
    };
  let document: DocumentNode;
  try {
    document = parse(request.query, { maxTokens: 20_000 });
  } catch (error) {
    return { errors: [error as GraphQLError] };
  }
  const rules = limits.introspection ? specifiedRules : [...specifiedRules, NoSchemaIntrospectionCustomRule];
  const errors = validate(schema, document, rules, { maxErrors: 20 });
  if (errors.length) return { errors };
  const operation = getOperationAST(document, request.operationName);
  if (!operation)
    return {
      errors: [
        new GraphQLError(
          request.operationName === undefined
            ? 'The document has several operations: name one by operationName.'
            : `The document has no operation ${request.operationName}.`,
        ),
      ],
    };
  const beyond = measure(document, operation.selectionSet, limits);
  return beyond
    ? { errors: [new GraphQLError(beyond, { extensions: { code: 'HNG-413' satisfies Code } })] }
    : { document, kind: operation.operation };
}

/** How deep and how broad a selection is, fragments opened. Each is entered at most as often as the bound on fields allows. */
function measure(document: DocumentNode, selection: SelectionSetNode, limits: GraphLimits): string | undefined {
  const fragments = new Map<string, FragmentDefinitionNode>();
  for (const d of document.definitions) if (d.kind === Kind.FRAGMENT_DEFINITION) fragments.set(d.name.value, d);
  let fields = 0;
  const walk = (set: SelectionSetNode, depth: number): string | undefined => {
    for (const s of set.selections) {
      if (s.kind === Kind.FIELD) {
        if (++fields > limits.fields) return `The query asks for more than ${limits.fields} fields.`;
        if (depth > limits.depth) return `The query is deeper than ${limits.depth} levels.`;
        const inner = s.selectionSet && walk(s.selectionSet, depth + 1);
        if (inner) return inner;
      } else {
        const set = s.kind === Kind.INLINE_FRAGMENT ? s.selectionSet : fragments.get(s.name.value)?.selectionSet;
        const inner = set && walk(set, depth);
        if (inner) return inner;
      }
    }
    return undefined;
  };
  return walk(selection, 1);
}

/** Executes a checked request. Errors of fields stand beside the data (specification of October 2021, §7.1). */
export async function executeGraph(
  schema: GraphQLSchema,
  document: DocumentNode,
  request: GraphRequest,
  contextValue: unknown,
): Promise<GraphResult> {
  const result = await execute({
    schema,
    document,
    contextValue,
    variableValues: request.variables,
    operationName: request.operationName,
  });
  return {
    ...(result.data !== undefined && { data: result.data }),
    ...(result.errors && { errors: result.errors.map((e) => e.toJSON()) }),
  };
}
