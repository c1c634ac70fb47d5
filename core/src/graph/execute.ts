import {
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
  type OperationDefinitionNode,
  type SelectionSetNode,
} from 'graphql';

import type { FlowDocument } from '../flow/document';
import type { Code } from '../problem';
import { compileQuery, type CompiledQuery } from './compiled';
import { costOf, type CostRules } from './cost';

/** Bounds of one query; what is beyond them is refused before anything is called. */
export interface GraphLimits {
  /** Nesting of fields. */
  readonly depth: number;
  /** Fields in all, fragments counted where they are spread. */
  readonly fields: number;
  /** Calls that it may cause, by their costs; lists that nobody limits count as `listSize`. */
  readonly cost: number;
  readonly listSize: number;
  /** __schema and __type may be asked for. */
  readonly introspection: boolean;
}

export const GRAPH_LIMITS: GraphLimits = { depth: 15, fields: 500, cost: 1000, listSize: 10, introspection: true };

/** The limits of a document. */
export const graphLimits = (document: FlowDocument): GraphLimits => ({ ...GRAPH_LIMITS, ...document.graph?.limits });

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
  /** HTTP status of a request that was refused before anything was called. */
  readonly status?: number;
}

/** A query that may be executed. */
export interface ReadQuery {
  readonly document: DocumentNode;
  readonly operation: OperationDefinitionNode;
  readonly kind: 'query' | 'mutation' | 'subscription';
  readonly compiled: CompiledQuery;
  readonly cost: (variables: Readonly<Record<string, unknown>> | undefined) => number;
}

/** Reads and checks a request: what it may execute, or why it may not. What it costs is for `beyondCost` to say. */
export function readGraphRequest(
  schema: GraphQLSchema,
  request: Pick<GraphRequest, 'query' | 'operationName'>,
  limits: GraphLimits,
  prices: Pick<CostRules, 'costs' | 'objects'> = { costs: {} },
): ReadQuery | { errors: readonly GraphQLError[] } {
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
  if (beyond) return { errors: [refused(beyond)] };
  return {
    document,
    operation,
    kind: operation.operation,
    compiled: compileQuery(schema, document, operation),
    cost: costOf(schema, document, operation, { listSize: limits.listSize, ...prices }),
  };
}

const refused = (words: string): GraphQLError =>
  new GraphQLError(words, { extensions: { code: 'HNG-413' satisfies Code } });

/** The error of a query that would cost too much with these variables. */
export function beyondCost(read: ReadQuery, request: GraphRequest, limits: GraphLimits): GraphQLError | undefined {
  const cost = read.cost(request.variables);
  return cost > limits.cost
    ? refused(`The query may cost ${cost}; at most ${limits.cost} is allowed. Ask for shorter lists, or for less.`)
    : undefined;
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
  read: ReadQuery,
  request: GraphRequest,
  contextValue: unknown,
  /** Of a subscription: the event, as a member of the name of its field. */
  rootValue?: unknown,
): Promise<GraphResult> {
  const result = await read.compiled.run(contextValue, request.variables, rootValue);
  return {
    ...(result.data !== undefined && { data: result.data }),
    ...(result.errors && { errors: result.errors.map((e) => e.toJSON()) }),
  };
}
