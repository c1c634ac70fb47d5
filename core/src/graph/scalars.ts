import { GraphQLError, GraphQLScalarType, Kind, valueFromASTUntyped, type ValueNode } from 'graphql';
import { formatHolds } from '../schema';

/** Scalars that GraphQL does not have itself, as commonly named (scalars.graphql.org). */

const text = (name: string, format: 'date' | 'date-time' | 'time', words: string, specifiedByURL: string) => {
  const read = (v: unknown): string => {
    if (typeof v !== 'string' || !formatHolds(format, v))
      throw new GraphQLError(`${name} cannot be ${JSON.stringify(v)}: ${words}.`);
    return v;
  };
  return new GraphQLScalarType({
    name,
    description: words,
    specifiedByURL,
    // What a backend sent goes out as it came: a caller is not helped by nothing instead.
    serialize: (v) => String(v),
    parseValue: read,
    parseLiteral: (node) => read(node.kind === Kind.STRING ? node.value : undefined),
  });
};

const RFC3339 = 'https://www.rfc-editor.org/rfc/rfc3339';
export const GraphDate = text('Date', 'date', 'A day, such as 2026-12-04 (RFC 3339, full-date)', RFC3339);
export const GraphDateTime = text(
  'DateTime',
  'date-time',
  'A moment with its offset, such as 2026-12-04T07:30:00Z (RFC 3339)',
  RFC3339,
);
export const GraphTime = text('Time', 'time', 'A time of day with its offset (RFC 3339, full-time)', RFC3339);

/** Whole numbers beyond 32 bits. Digits that a JSON number of a client may lose go out as text. */
export const GraphLong = new GraphQLScalarType({
  name: 'Long',
  description: 'A whole number of up to 64 bits; as text where a double would lose digits',
  serialize: (v) => {
    const t = String(v);
    return Number.isSafeInteger(Number(t)) ? Number(t) : t;
  },
  parseValue: (v) => whole(v),
  parseLiteral: (node) => whole(node.kind === Kind.INT || node.kind === Kind.STRING ? node.value : undefined),
});

function whole(v: unknown): number {
  const t = typeof v === 'number' || typeof v === 'string' ? String(v) : '';
  if (!/^-?\d{1,19}$/.test(t) || !Number.isSafeInteger(Number(t)))
    throw new GraphQLError(`Long cannot be ${JSON.stringify(v)}: give a whole number.`);
  return Number(t);
}

export const GraphJson = new GraphQLScalarType({
  name: 'JSON',
  description: 'Any JSON value: the contract does not say which',
  serialize: (v) => v,
  parseValue: (v) => v,
  parseLiteral: (node: ValueNode, variables) => valueFromASTUntyped(node, variables),
});
