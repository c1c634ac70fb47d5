import {
  getNamedType,
  getNullableType,
  isListType,
  isObjectType,
  Kind,
  valueFromASTUntyped,
  type DocumentNode,
  type FieldNode,
  type FragmentDefinitionNode,
  type GraphQLNamedType,
  type GraphQLSchema,
  type OperationDefinitionNode,
  type SelectionSetNode,
} from 'graphql';

/** What a query costs at most: its calls, each as dear as the document says, before anything is called. What is asked for twice is counted twice. */
export interface CostRules {
  /** Items of a list that nobody limits. */
  readonly listSize: number;
  /** Cost of one call of an operation; 1 for the others. */
  readonly costs: Readonly<Record<string, number>>;
  /** Nobody knows what is called: each field that holds objects costs 1. */
  readonly objects?: boolean;
}

type Variables = Readonly<Record<string, unknown>> | undefined;
type Cost = (variables: Variables, times: number) => number;

/** Arguments that say how long a list gets (common practice). */
const SIZE = /^(first|last|limit|max|count|size|top|per_?page|page_?size|max_?results|max_?items)$/i;

/** Made once for a query; the variables may hold the sizes of lists. The query must be valid, and its fields bounded. */
export function costOf(
  schema: GraphQLSchema,
  document: DocumentNode,
  operation: OperationDefinitionNode,
  rules: CostRules,
): (variables: Variables) => number {
  const fragments = new Map<string, FragmentDefinitionNode>();
  for (const d of document.definitions) if (d.kind === Kind.FRAGMENT_DEFINITION) fragments.set(d.name.value, d);
  const selection = (type: GraphQLNamedType | undefined, set: SelectionSetNode, hint: Size | undefined): Cost => {
    const parts = set.selections.map((s): Cost => {
      if (s.kind === Kind.FIELD) return field(type, s, hint);
      if (s.kind === Kind.INLINE_FRAGMENT)
        return selection(s.typeCondition ? schema.getType(s.typeCondition.name.value) : type, s.selectionSet, hint);
      const fragment = fragments.get(s.name.value)!;
      return selection(schema.getType(fragment.typeCondition.name.value), fragment.selectionSet, hint);
    });
    return (variables, times) => parts.reduce((sum, p) => sum + p(variables, times), 0);
  };
  const field = (type: GraphQLNamedType | undefined, node: FieldNode, above: Size | undefined): Cost => {
    const f = isObjectType(type) ? type.getFields()[node.name.value] : undefined;
    if (!f) return () => 0;
    const called = f.extensions.operation;
    const together = f.extensions.together;
    const price = typeof called === 'string' ? (rules.costs[called] ?? 1) : rules.objects && node.selectionSet ? 1 : 0;
    const hint = sizeOf(node) ?? (price ? undefined : above);
    const list = isListType(getNullableType(f.type));
    const below = node.selectionSet && selection(getNamedType(f.type), node.selectionSet, list ? undefined : hint);
    return (variables, times) => {
      const calls = typeof together === 'number' ? Math.ceil(times / together) : times;
      const size = list ? (hint?.(variables) ?? rules.listSize) : 1;
      return price * calls + (below ? below(variables, times * size) : 0);
    };
  };
  const whole = selection(schema.getRootType(operation.operation) ?? undefined, operation.selectionSet, undefined);
  const defaults = new Map(
    (operation.variableDefinitions ?? []).flatMap((v) =>
      v.defaultValue ? [[v.variable.name.value, valueFromASTUntyped(v.defaultValue)] as const] : [],
    ),
  );
  return (variables) => whole({ ...Object.fromEntries(defaults), ...variables }, 1);
}

type Size = (variables: Variables) => number | undefined;

/** The size that an argument of a field gives to the first list below it. */
function sizeOf(node: FieldNode): Size | undefined {
  const given = node.arguments?.find((a) => SIZE.test(a.name.value))?.value;
  if (given?.kind === Kind.INT) return () => Number(given.value);
  if (given?.kind !== Kind.VARIABLE) return undefined;
  const { value } = given.name;
  return (variables) => {
    const n = variables?.[value];
    return typeof n === 'number' && n >= 0 ? n : undefined;
  };
}
