import {
  GraphQLError,
  GraphQLNonNull,
  GraphQLObjectType,
  GraphQLSchema,
  GraphQLString,
  GraphQLBoolean,
  getNullableType,
  isInputObjectType,
  isListType,
  printSchema,
  type GraphQLFieldConfigArgumentMap,
  type GraphQLFieldConfigMap,
  type GraphQLInputObjectType,
  type GraphQLInputType,
  type GraphQLResolveInfo,
} from 'graphql';
import { isDescribed } from '../export/openapi';
import type { FlowDocument, OperationDocument } from '../flow/document';
import { singularWord } from '../draft/names';
import { lower } from '../message/digits';
import { finding, type Finding } from '../problem';
import { pointerParts, refName, resolveSchema, typesOf } from '../schema';
import { camel, graphName, named, pascal, TypeMaker } from './types';

/** One graph over the operations of a document: queries from the safe ones, mutations from the rest, joins between types. */

/** Values of a call by where the operation wants them. */
export interface GraphCall {
  readonly operation: string;
  readonly path: Readonly<Record<string, unknown>>;
  readonly query: Readonly<Record<string, unknown>>;
  readonly headers: Readonly<Record<string, unknown>>;
  readonly body?: unknown;
}

/** What a query is executed with: calls operations, each call with the same values once. */
export interface GraphContext {
  /** `field`: for which field of the answer, as names between dots; items of lists have no number there. */
  call(call: GraphCall, field: string): Promise<GraphReply>;
}

export interface GraphReply {
  readonly status: number;
  /** JSON value of the body. */
  readonly value?: unknown;
}

export interface Graph {
  readonly schema: GraphQLSchema;
  readonly findings: readonly Finding[];
}

type Join = NonNullable<NonNullable<FlowDocument['graph']>['joins']>[number];
type Parameter = NonNullable<OperationDocument['parameters']>[number];

const SAFE = new Set(['GET', 'HEAD']);

export function graphOf(document: FlowDocument): Graph {
  const findings: Finding[] = [];
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
      const pointer = `/graph/joins/${n}`;
      if (!o?.reply?.schema || !isDescribed(o) || !SAFE.has(o.method)) {
        findings.push(
          finding(
            'HNG-302',
            `the join ${typeName}.${join.field} needs a safe operation with a reply; ${join.operation} is none`,
            { pointer },
          ),
        );
        continue;
      }
      fields[graphName(join.field)] = {
        type: maker.output(o.reply.schema, `${pascal(join.operation)}Reply`),
        description: o.summary,
        extensions: { operation: join.operation },
        resolve: (source, _given, context, info) => resolveJoin(join, o, source, context, fieldNameOf(info.path)),
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
  // A schema without a query is none (§3.3.1).
  if (!Object.keys(queries).length)
    queries.version = { type: GraphQLString, description: 'Version of the API', resolve: () => document.api.version };
  const schema = new GraphQLSchema({
    description: document.api.description,
    query: new GraphQLObjectType({ name: 'Query', fields: queries }),
    ...(Object.keys(mutations).length && { mutation: new GraphQLObjectType({ name: 'Mutation', fields: mutations }) }),
  });
  for (const [wanted, given] of maker.clashes)
    findings.push(
      finding('HNG-326', `two types are called ${wanted} in the graph; one is ${given}`, { pointer: '/types' }),
    );
  return { schema, findings };
}

/** The schema in its definition language. */
export const exportGraphql = (document: FlowDocument): string => `${printSchema(graphOf(document).schema)}\n`;

const needed = (type: GraphQLInputType): GraphQLInputType =>
  type instanceof GraphQLNonNull ? type : new GraphQLNonNull(type);
const bodyName = (list: readonly (readonly [string, string, Parameter])[]): string =>
  list.some(([n]) => n === 'input') ? 'inputBody' : 'input';

function callOf(
  id: string,
  list: readonly (readonly [string, string, Parameter])[],
  given: Readonly<Record<string, unknown>>,
): GraphCall {
  return placed(
    id,
    list.map(([name, , p]) => [p, given[name]]),
  );
}

/** Values where the parameters of an operation want them; what is not given goes nowhere. */
function placed(operation: string, values: readonly (readonly [Parameter, unknown])[]): GraphCall {
  const places = { path: {}, query: {}, headers: {} } as Record<'path' | 'query' | 'headers', Record<string, unknown>>;
  for (const [p, value] of values)
    if (value !== undefined && value !== null && p.in !== 'cookie')
      places[p.in === 'header' ? 'headers' : p.in][p.name] = value;
  return { operation, ...places };
}

/** Input values by the names that the operation knows. */
function original(type: GraphQLInputType, value: unknown): unknown {
  const t = getNullableType(type);
  if (value === null || value === undefined) return value;
  if (isListType(t))
    return Array.isArray(value)
      ? value.map((v) => original(t.ofType as GraphQLInputType, v))
      : [original(t.ofType as GraphQLInputType, value)];
  if (!isInputObjectType(t)) return value;
  const fields = (t as GraphQLInputObjectType).getFields();
  return Object.fromEntries(
    Object.entries(value as Record<string, unknown>).map(([k, v]) => [
      String(fields[k]!.extensions.original),
      original(fields[k]!.type, v),
    ]),
  );
}

/** The value of a reply, or an error that says what the operation answered. */
function valueOf(reply: GraphReply, hasBody: boolean): unknown {
  if (reply.status < 400) return hasBody ? (lower(reply.value) ?? null) : true;
  const problem = (reply.value !== null && typeof reply.value === 'object' ? lower(reply.value) : {}) as Record<
    string,
    unknown
  >;
  const words = [problem.detail, problem.title].find((w) => typeof w === 'string') as string | undefined;
  throw new GraphQLError(words ?? `The operation answered ${reply.status}.`, {
    extensions: { status: reply.status, problem },
  });
}

function fieldNameOf(path: { readonly prev: unknown; readonly key: string | number } | undefined): string {
  const out: string[] = [];
  for (let at = path; at; at = at.prev as typeof path) if (typeof at.key === 'string') out.unshift(at.key);
  return out.join('.');
}

/** RFC 6901, within the value of a type. */
function atPointer(value: unknown, pointer: string): unknown {
  let at = value;
  for (const part of pointerParts(pointer)) {
    if (at === null || typeof at !== 'object' || !Object.hasOwn(at, part)) return undefined;
    at = (at as Record<string, unknown>)[part];
  }
  return at;
}

async function resolveJoin(
  join: Join,
  o: OperationDocument,
  source: unknown,
  context: GraphContext,
  field: string,
): Promise<unknown> {
  const values = source as Record<string, unknown>;
  const given: [Parameter, unknown][] = [];
  for (const [parameter, property] of Object.entries(join.with)) {
    const p = o.parameters?.find((x) => x.name === parameter);
    const value = property.startsWith('/') ? atPointer(values, property) : values[property];
    // Nothing to look for: nothing is found, and nobody is asked.
    if (value === undefined || value === null) return null;
    if (p) given.push([p, value]);
  }
  const reply = await context.call(placed(join.operation, given), field);
  return reply.status === 404 ? null : valueOf(reply, true);
}

/** Joins that names and types speak for: a property that ends like the one parameter that a safe operation needs, or is called like it. */
export function suggestJoins(document: FlowDocument): Join[] {
  const out: Join[] = [];
  const targets = Object.entries(document.operations).flatMap(([id, o]) => {
    const asked = (o.parameters ?? []).filter((p) => p.required || p.in === 'path');
    const type = o.reply?.schema && refName(o.reply.schema);
    return isDescribed(o) && SAFE.has(o.method) && asked.length === 1 && type
      ? [{ id, parameter: asked[0]!.name, type, path: o.path }]
      : [];
  });
  for (const [typeName, schema] of Object.entries(document.types ?? {})) {
    const properties = resolveSchema(schema, document.types ?? {}).properties ?? {};
    for (const [property, s] of Object.entries(properties)) {
      if (!typesOf(resolveSchema(s, document.types ?? {})).some((t) => t === 'string' || t === 'integer')) continue;
      for (const t of targets) {
        const noun = nounOf(property, t.parameter, t.path);
        if (
          noun === undefined ||
          t.type === typeName ||
          noun in properties ||
          out.some((j) => j.type === typeName && j.field === noun)
        )
          continue;
        out.push({ type: typeName, field: noun, operation: t.id, with: { [t.parameter]: property } });
      }
    }
  }
  return out;
}

/** The thing that a property names: vesselId for {vesselId}, or for {id} below /vessels. */
function nounOf(property: string, parameter: string, path: string): string | undefined {
  const stem = /^(.+?)(?:Id|_id|Number|Code|Ref)$/.exec(property)?.[1];
  if (stem === undefined) return undefined;
  const above =
    path
      .split('/')
      .filter((p) => p && !p.startsWith('{'))
      .at(-1)
      ?.toLowerCase() ?? '';
  if (property === parameter)
    return path.toLowerCase().includes(stem.toLowerCase()) && above.startsWith(stem.toLowerCase())
      ? stem
      : camel(singularWord(above));
  const same = above === stem.toLowerCase() || above === `${stem.toLowerCase()}s`;
  return same && property.toLowerCase().endsWith(parameter.toLowerCase()) ? stem : undefined;
}
