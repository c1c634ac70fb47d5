import {
  getNullableType,
  isListType,
  Kind,
  parse,
  TypeInfo,
  validate,
  visit,
  visitWithTypeInfo,
  type ASTNode,
  type GraphQLSchema,
} from 'graphql';
import { costOf, type CostRules } from './cost';
import { GRAPH_LIMITS } from './execute';

/** A call that a query will make. */
export interface PlannedCall {
  /** Field of the answer, as names between dots. */
  readonly field: string;
  readonly operation: string;
  /** Field whose reply must be there first; absent: at once, beside the others. */
  readonly after?: string;
  /** Once, or for each item of the list that stands at this field. The same values are asked once. */
  readonly each?: string;
  /** So many items are looked up by one call. */
  readonly together?: number;
}

export interface PlannedQuery {
  /** What a subscription calls it calls for each event. */
  readonly kind: 'query' | 'mutation' | 'subscription';
  readonly calls: readonly PlannedCall[];
  /** At most, without variables. */
  readonly cost: number;
}

/** Which operations a query calls, in which order, before it is run. A text says why it cannot be run. */
export function planQuery(
  schema: GraphQLSchema,
  query: string,
  operationName?: string,
  rules: CostRules = { listSize: GRAPH_LIMITS.listSize, costs: {} },
): PlannedQuery | string {
  let document;
  try {
    document = parse(query, { maxTokens: 20_000 });
  } catch (error) {
    return (error as Error).message;
  }
  const [wrong] = validate(schema, document);
  if (wrong) return wrong.message;
  const operations = document.definitions.filter((d) => d.kind === Kind.OPERATION_DEFINITION);
  const operation =
    operationName === undefined ? operations[0] : operations.find((o) => o.name?.value === operationName);
  if (!operation) return operationName === undefined ? 'there is no query' : `there is no operation ${operationName}`;
  const fragments = new Map(
    document.definitions.flatMap((d) => (d.kind === Kind.FRAGMENT_DEFINITION ? [[d.name.value, d] as const] : [])),
  );
  const calls: PlannedCall[] = [];
  const walk = (node: ASTNode, types: TypeInfo, path: readonly Step[]): void => {
    const stack: Step[] = [...path];
    visit(
      node,
      visitWithTypeInfo(types, {
        FragmentDefinition: () => undefined,
        FragmentSpread(spread) {
          const fragment = fragments.get(spread.name.value);
          const type = fragment && schema.getType(fragment.typeCondition.name.value);
          if (fragment && type && calls.length < MOST)
            walk(fragment.selectionSet, new TypeInfo(schema, type as never, undefined), stack);
        },
        Field: {
          enter(field) {
            const definition = types.getFieldDef();
            const name = field.alias?.value ?? field.name.value;
            const own = [...stack.map((s) => s.name), name].join('.');
            const target = definition?.extensions.operation;
            if (typeof target === 'string' && calls.length < MOST) {
              const after = stack.findLast((s) => s.called)?.field;
              const each = stack.findLast((s) => s.list)?.field;
              const { together } = definition!.extensions;
              calls.push({
                ...{ field: own, operation: target },
                ...(after && { after }),
                ...(each && { each }),
                ...(typeof together === 'number' && { together }),
              });
            }
            const type = definition && getNullableType(definition.type);
            stack.push({ name, field: own, called: typeof target === 'string', list: isListType(type) });
          },
          leave() {
            stack.pop();
          },
        },
      }),
    );
  };
  walk(operation, new TypeInfo(schema), []);
  return { kind: operation.operation, calls, cost: costOf(schema, document, operation, rules)(undefined) };
}

/** Calls that one plan tells of. */
const MOST = 500;

interface Step {
  readonly name: string;
  readonly field: string;
  readonly called: boolean;
  readonly list: boolean;
}
