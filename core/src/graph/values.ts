import {
  getNullableType,
  GraphQLError,
  isInputObjectType,
  isListType,
  type GraphQLInputObjectType,
  type GraphQLInputType,
} from 'graphql';
import type { OperationDocument } from '../flow/document';
import type { GraphCall, GraphReply } from './context';

/** Values between the graph and the operations behind it. */

export type GraphParameter = NonNullable<OperationDocument['parameters']>[number];

/** Values where the parameters of an operation want them; what is not given goes nowhere. */
export function placed(operation: string, values: readonly (readonly [GraphParameter, unknown])[]): GraphCall {
  const places = { path: {}, query: {}, headers: {} } as Record<'path' | 'query' | 'headers', Record<string, unknown>>;
  for (const [p, value] of values)
    if (value !== undefined && value !== null && p.in !== 'cookie')
      places[p.in === 'header' ? 'headers' : p.in][p.name] = value;
  return { operation, ...places };
}

/** Input values by the names that the operation knows. */
export function original(type: GraphQLInputType, value: unknown): unknown {
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
export function valueOf(reply: GraphReply, hasBody: boolean): unknown {
  if (reply.status < 400) return hasBody ? (reply.value ?? null) : true;
  const problem = (reply.value !== null && typeof reply.value === 'object' ? reply.value : {}) as Record<
    string,
    unknown
  >;
  const words = [problem.detail, problem.title].find((w) => typeof w === 'string') as string | undefined;
  throw new GraphQLError(words ?? `The operation answered ${reply.status}.`, {
    extensions: { status: reply.status, problem },
  });
}
