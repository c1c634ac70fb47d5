import {
  GraphQLNonNull,
  GraphQLObjectType,
  GraphQLSchema,
  GraphQLString,
  GraphQLBoolean,
  printSchema,
  type GraphQLFieldConfigArgumentMap,
  type GraphQLFieldConfigMap,
  type GraphQLInputType,
  type GraphQLResolveInfo,
} from 'graphql';
import { topicParameters, type TopicDocument } from '../events/topic';
import { isDescribed } from '../export/openapi';
import type { FlowDocument, OperationDocument } from '../flow/document';
import { schemaOf } from '../contract/graphql';
import { finding, HingeError, type Finding } from '../problem';
import type { JsonSchema } from '../schema';
import type { GraphCall, GraphContext } from './context';
import { joinResolver, joinSchema, MOST_TOGETHER } from './joins';
import { camel, graphName, named, pascal, TypeMaker } from './types';
import { original, placed, valueOf, type GraphParameter } from './values';

/** One graph over the operations of a document: queries from the safe ones, mutations from the rest, subscriptions from topics, joins between types. */

export interface Graph {
  readonly schema: GraphQLSchema;
  readonly findings: readonly Finding[];
}

/** Methods of operations that change nothing (RFC 9110 §9.2.1). */
export const SAFE = new Set(['GET', 'HEAD']);

export function graphOf(document: FlowDocument): Graph {
  const { backend } = document.graph ?? {};
  if (backend !== undefined) return backendGraph(document, backend);
  const findings: Finding[] = [];
  if (document.graph?.subscriptions)
    findings.push(
      finding(
        'HNG-302',
        'graph.subscriptions says how a backend is asked, and no backend answers this graph',
        { pointer: '/graph/subscriptions' },
        'Name the backend under graph.backend, or take it out.',
      ),
    );
  const types = document.types ?? {};
  const joins = document.graph?.joins ?? [];
  const maker: TypeMaker = new TypeMaker(types, (typeName) => joinFields(typeName));
  const operations = Object.entries(document.operations).filter(([, o]) => isDescribed(o));

  const argumentsOf = (id: string, o: OperationDocument) => {
    const list = named(
      (o.parameters ?? []).map((p) => [p.name, p] as const),
      camel,
    );
    const args: GraphQLFieldConfigArgumentMap = {};
    for (const [name, , p] of list) {
      const type = maker.input(p.schema, `${pascal(id)}${pascal(p.name)}`);
      args[name] = {
        type: p.required && p.schema.default === undefined ? needed(type) : type,
        description: p.description,
      };
    }
    const body = o.request?.schema && maker.input(o.request.schema, pascal(id));
    if (body)
      args[bodyName(list)] = { type: o.request!.required ? needed(body) : body, description: o.request!.description };
    return { args, list, body };
  };

  const fieldOf = (id: string, o: OperationDocument) => {
    const { args, list, body } = argumentsOf(id, o);
    const reply = o.reply?.schema;
    return {
      type: reply ? maker.output(reply, `${pascal(id)}Reply`) : GraphQLBoolean,
      description: [o.summary, o.description].filter(Boolean).join('\n\n') || undefined,
      args,
      extensions: { operation: id },
      resolve: async (
        _source: unknown,
        given: Record<string, unknown>,
        context: GraphContext,
        info: GraphQLResolveInfo,
      ) => {
        const call = callOf(id, list, given);
        const value = given[bodyName(list)];
        return valueOf(
          await context.call(
            body && value !== undefined ? { ...call, body: original(body, value) } : call,
            fieldNameOf(info.path),
          ),
          reply !== undefined,
        );
      },
    };
  };

  const joinFields = (typeName: string): GraphQLFieldConfigMap<unknown, unknown> => {
    const fields: GraphQLFieldConfigMap<unknown, GraphContext> = {};
    for (const [n, join] of joins.entries()) {
      if (join.type !== typeName) continue;
      const o = document.operations[join.operation];
      const refuse = (words: string) =>
        findings.push(
          finding('HNG-302', `the join ${typeName}.${join.field} ${words}`, { pointer: `/graph/joins/${n}` }),
        );
      if (!o?.reply?.schema || !isDescribed(o) || !SAFE.has(o.method)) {
        refuse(`needs a safe operation with a reply; ${join.operation} is none`);
        continue;
      }
      const shown = joinSchema(join, o, types);
      if (typeof shown === 'string') {
        refuse(`cannot ask for many at once: ${join.operation} ${shown}`);
        continue;
      }
      const resolve = joinResolver(join, n, o, types);
      fields[graphName(join.field)] = {
        type: maker.output(shown, `${pascal(join.operation)}Reply`),
        description: o.summary,
        extensions: { operation: join.operation, ...(join.list && { together: join.list.most ?? MOST_TOGETHER }) },
        resolve: (source, _given, context, info) => resolve(source, context, fieldNameOf(info.path)),
      };
    }
    return fields as GraphQLFieldConfigMap<unknown, unknown>;
  };

  const queries: GraphQLFieldConfigMap<unknown, GraphContext> = {};
  const mutations: GraphQLFieldConfigMap<unknown, GraphContext> = {};
  for (const [name, id, o] of named(operations, camel)) {
    if (name !== camel(id))
      findings.push(
        finding('HNG-326', `${camel(id)} is the name of two operations in the graph; ${id} is ${name} there`, {
          pointer: `/operations/${id}`,
        }),
      );
    (SAFE.has(o.method) ? queries : mutations)[name] = fieldOf(id, o);
  }
  const subscriptions: GraphQLFieldConfigMap<unknown, unknown> = {};
  const heard = Object.entries(document.topics ?? {}).filter(([, t]) => t.door?.listen !== false);
  for (const [name, topic, t] of named(heard, camel)) {
    // Events that are mapped for who listens have the form of the map, and no schema tells it.
    const schema = t.door?.data === undefined ? (t.schema as JsonSchema | undefined) : undefined;
    const parameters = named(
      topicParameters(topic, t).map((p) => [p, p] as const),
      (p) => (p === 'after' ? 'afterValue' : camel(p)),
    ).map(([arg, p]) => [arg, p] as const);
    subscriptions[name] = {
      type: maker.output(schema ?? {}, `${pascal(topic)}Event`),
      description: [t.title, t.description].filter(Boolean).join('\n\n') || undefined,
      args: {
        ...Object.fromEntries(
          parameters.map(([arg, p]) => [arg, { type: GraphQLString, description: parameterWords(t, p) }]),
        ),
        after: { type: GraphQLString, description: 'Id of the last event that was had' },
      },
      extensions: { topic, property: name, parameters },
      resolve: (source) => (source as Record<string, unknown>)[name],
    };
  }
  // A schema without a query is none (§3.3.1).
  if (!Object.keys(queries).length)
    queries.version = { type: GraphQLString, description: 'Version of the API', resolve: () => document.api.version };
  const schema = new GraphQLSchema({
    description: document.api.description,
    query: new GraphQLObjectType({ name: 'Query', fields: queries }),
    ...(Object.keys(mutations).length && { mutation: new GraphQLObjectType({ name: 'Mutation', fields: mutations }) }),
    ...(Object.keys(subscriptions).length && {
      subscription: new GraphQLObjectType({ name: 'Subscription', fields: subscriptions }),
    }),
  });
  for (const [wanted, given] of maker.clashes)
    findings.push(
      finding('HNG-326', `two types are called ${wanted} in the graph; one is ${given}`, { pointer: '/types' }),
    );
  return { schema, findings };
}

const parameterWords = (t: TopicDocument, p: string): string =>
  [
    t.parameters?.[p]?.description,
    t.parameters?.[p]?.values && `one of ${t.parameters[p].values.join(', ')}`,
    'any when absent',
  ]
    .filter(Boolean)
    .join('; ');

/** The schema of the backend that answers. */
function backendGraph(document: FlowDocument, name: string): Graph {
  const contract = document.backends?.[name]?.contract;
  const place = { pointer: '/graph/backend' };
  const none = (words: string): Graph => ({ schema: NO_SCHEMA, findings: [finding('HNG-302', words, place)] });
  if (!document.backends?.[name]) return none(`there is no backend ${name}`);
  if (contract?.kind !== 'graphql') return none(`the backend ${name} has no GraphQL contract`);
  try {
    return { schema: schemaOf({ entry: contract.entry, files: contract.files ?? {} }), findings: [] };
  } catch (error) {
    if (error instanceof HingeError) return none(`the contract of ${name}: ${error.finding.message}`);
    throw error;
  }
}

const NO_SCHEMA = new GraphQLSchema({
  query: new GraphQLObjectType({ name: 'Query', fields: { version: { type: GraphQLString } } }),
});

/** The schema in its definition language. */
export const exportGraphql = (document: FlowDocument): string => `${printSchema(graphOf(document).schema)}\n`;

const needed = (type: GraphQLInputType): GraphQLInputType =>
  type instanceof GraphQLNonNull ? type : new GraphQLNonNull(type);
const bodyName = (list: readonly (readonly [string, string, GraphParameter])[]): string =>
  list.some(([n]) => n === 'input') ? 'inputBody' : 'input';

function callOf(
  id: string,
  list: readonly (readonly [string, string, GraphParameter])[],
  given: Readonly<Record<string, unknown>>,
): GraphCall {
  return placed(
    id,
    list.map(([name, , p]) => [p, given[name]]),
  );
}

function fieldNameOf(path: { readonly prev: unknown; readonly key: string | number } | undefined): string {
  // A compiled query has the names together already.
  if (path && path.prev === undefined) return String(path.key);
  const out: string[] = [];
  for (let at = path; at; at = at.prev as typeof path) if (typeof at.key === 'string') out.unshift(at.key);
  return out.join('.');
}
