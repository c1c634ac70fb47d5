import { expressionTree, type Node } from '../expression';
import type { JsonSchema } from '../schema';

const TEXT =
  'string substring substringBefore substringAfter lowercase uppercase trim pad join replace base64encode base64decode now fromMillis formatNumber formatBase type encodeUrl encodeUrlComponent decodeUrl decodeUrlComponent';
const NUMBER = 'average sqrt random';
/** Whole where what they are given is. */
const EITHER = 'number abs round power sum max min';
const WHOLE = 'count floor ceil length toMillis millis';
const BOOLEAN = 'boolean not exists contains';
const named = (names: string, type: JsonSchema['type']) =>
  names.split(' ').map((n): [string, JsonSchema] => [n, { type }]);
const FUNCTIONS: ReadonlyMap<string, JsonSchema> = new Map([
  ...named(TEXT, 'string'),
  ...named(NUMBER, 'number'),
  ...named(EITHER, ['integer', 'number']),
  ...named(WHOLE, 'integer'),
  ...named(BOOLEAN, 'boolean'),
]);

/**
 * What an expression makes, where its form alone says it: literals, texts put together, sums, comparisons, calls of functions with one kind of result (documentation of JSONata, operators and function
 * library). Undefined for everything else: a path says what it is by the type that it reads.
 */
export function madeSchema(text: string): JsonSchema | undefined {
  try {
    return schemaOf(expressionTree(text));
  } catch {
    return undefined;
  }
}

function schemaOf(n: Node): JsonSchema | undefined {
  switch (n.type) {
    case 'string':
      return { type: 'string', const: n.value };
    case 'number':
      return { type: Number.isInteger(n.value) ? 'integer' : 'number', const: n.value };
    case 'value':
      return typeof n.value === 'boolean' ? { type: 'boolean', const: n.value } : undefined;
    case 'binary':
      if (n.value === '&') return { type: 'string' };
      if (n.value === '/') return { type: 'number' };
      if (['+', '-', '*', '%'].includes(String(n.value))) return { type: ['integer', 'number'] };
      if (['=', '!=', '<', '<=', '>', '>=', 'in', 'and', 'or'].includes(String(n.value))) return { type: 'boolean' };
      return undefined;
    case 'function':
      return n.procedure?.type === 'variable' ? FUNCTIONS.get(String(n.procedure.value)) : undefined;
    case 'condition': {
      const [a, b] = [n.then && schemaOf(n.then), n.else && schemaOf(n.else)];
      if (!a || !b || typeof a.type !== 'string' || a.type !== b.type) return undefined;
      return a.const !== undefined && b.const !== undefined
        ? { type: a.type, enum: [a.const, b.const] }
        : { type: a.type };
    }
    case 'block':
      return n.expressions?.length === 1 ? schemaOf(n.expressions[0]!) : undefined;
    default:
      return undefined;
  }
}
