import {
  getArgumentValues,
  getDirectiveValues,
  GraphQLIncludeDirective,
  GraphQLSkipDirective,
  GraphQLString,
  isLeafType,
  isListType,
  isNonNullType,
  isObjectType,
  isUnionType,
  Kind,
  typeFromAST,
  type DocumentNode,
  type FieldNode,
  type FragmentDefinitionNode,
  type GraphQLField,
  type GraphQLLeafType,
  type GraphQLObjectType,
  type GraphQLOutputType,
  type GraphQLSchema,
  type GraphQLUnionType,
  type SelectionSetNode,
} from 'graphql';

/** What a query asks for, worked out once: fields collected, fragments opened, arguments without variables read (specification of October 2021, §6.3.2, §6.4.1). */

export interface Selection {
  readonly fields: readonly FieldPlan[];
  /** Something below looks up many at once: it waits for its neighbours. */
  readonly gathers: boolean;
  /** No alias is __proto__. */
  readonly plain: boolean;
}

export interface FieldPlan {
  readonly key: string;
  readonly parent: string;
  readonly nodes: readonly FieldNode[];
  readonly field?: GraphQLField<unknown, unknown>;
  /** Member of the value that it shows. */
  readonly property?: string;
  /** __typename. */
  readonly constant?: string;
  /** __schema or __type. */
  readonly introspects?: true;
  readonly args?: Readonly<Record<string, unknown>>;
  readonly info: unknown;
  readonly shape: Shape;
}

export type Shape =
  | { readonly kind: 'leaf'; readonly nonNull: boolean; readonly type: GraphQLLeafType }
  | { readonly kind: 'list'; readonly nonNull: boolean; readonly item: Shape }
  | { readonly kind: 'object'; readonly nonNull: boolean; readonly selection: Selection }
  | {
      readonly kind: 'union';
      readonly nonNull: boolean;
      readonly type: GraphQLUnionType;
      /** By the name of the member. */
      readonly selections: ReadonlyMap<string, Selection>;
    };

export type Variables = Readonly<Record<string, unknown>>;

export const NO_ARGS: Readonly<Record<string, unknown>> = {};

export class PlanMaker {
  private readonly fragments = new Map<string, FragmentDefinitionNode>();

  constructor(
    private readonly schema: GraphQLSchema,
    document: DocumentNode,
  ) {
    for (const d of document.definitions) if (d.kind === Kind.FRAGMENT_DEFINITION) this.fragments.set(d.name.value, d);
  }

  /** Variables that decide what is in the answer. */
  switches(set: SelectionSetNode): readonly string[] {
    const names = new Set<string>();
    const seen = new Set<string>();
    const walk = (s: SelectionSetNode): void => {
      for (const x of s.selections) {
        for (const d of x.directives ?? [])
          for (const a of d.arguments ?? []) if (a.value.kind === Kind.VARIABLE) names.add(a.value.name.value);
        if (x.kind !== Kind.FRAGMENT_SPREAD) {
          if (x.selectionSet) walk(x.selectionSet);
          continue;
        }
        if (seen.has(x.name.value)) continue;
        seen.add(x.name.value);
        walk(this.fragments.get(x.name.value)!.selectionSet);
      }
    };
    walk(set);
    return [...names];
  }

  selection(
    type: GraphQLObjectType,
    sets: readonly SelectionSetNode[],
    variables: Variables,
    path: readonly string[],
  ): Selection {
    const collected = new Map<string, FieldNode[]>();
    const opened = new Set<string>();
    for (const set of sets) this.collect(type, set, variables, collected, opened);
    const fields = [...collected].map(([key, nodes]) => this.field(type, key, nodes, variables, [...path, key]));
    const gathers = fields.some((f) => f.field?.extensions.together !== undefined || gathersBelow(f.shape));
    return { fields, gathers, plain: !collected.has('__proto__') };
  }

  /** CollectFields (§6.3.2). */
  private collect(
    type: GraphQLObjectType,
    set: SelectionSetNode,
    variables: Variables,
    into: Map<string, FieldNode[]>,
    opened: Set<string>,
  ): void {
    for (const s of set.selections) {
      if (getDirectiveValues(GraphQLSkipDirective, s, variables)?.if === true) continue;
      if (getDirectiveValues(GraphQLIncludeDirective, s, variables)?.if === false) continue;
      if (s.kind === Kind.FIELD) {
        const key = s.alias?.value ?? s.name.value;
        const have = into.get(key);
        if (have) have.push(s);
        else into.set(key, [s]);
        continue;
      }
      if (s.kind === Kind.FRAGMENT_SPREAD) {
        if (opened.has(s.name.value)) continue;
        opened.add(s.name.value);
      }
      const fragment = s.kind === Kind.FRAGMENT_SPREAD ? this.fragments.get(s.name.value)! : s;
      const wanted = fragment.typeCondition && typeFromAST(this.schema, fragment.typeCondition);
      if (wanted === undefined || wanted === type || (isUnionType(wanted) && this.schema.isSubType(wanted, type)))
        this.collect(type, fragment.selectionSet, variables, into, opened);
    }
  }

  private field(
    type: GraphQLObjectType,
    key: string,
    nodes: readonly FieldNode[],
    variables: Variables,
    path: readonly string[],
  ): FieldPlan {
    const [first] = nodes;
    const name = first!.name.value;
    const info = { path: { prev: undefined, key: path.join('.') } };
    if (name === '__typename')
      return {
        ...{ key, nodes, info, parent: type.name, constant: type.name },
        shape: { kind: 'leaf', nonNull: true, type: GraphQLString },
      };
    // The schema says what it is itself (§4): the package knows how, and waits for nobody.
    if (name === '__schema' || name === '__type')
      return {
        ...{ key, nodes, info, parent: type.name, introspects: true as const },
        shape: { kind: 'leaf', nonNull: false, type: GraphQLString },
      };
    const field = type.getFields()[name]!;
    const { property } = field.extensions;
    const fixed = !(first!.arguments ?? []).some((a) => holdsVariable(a.value));
    return {
      ...{ key, nodes, info, parent: type.name, field },
      ...(typeof property === 'string' && { property }),
      // Arguments that are wrong come out as an error of the field, each time.
      ...(fixed && !field.args.length && { args: NO_ARGS }),
      ...(fixed && field.args.length && attemptArgs(field, first!)),
      shape: this.shape(field.type, nodes, variables, path),
    };
  }

  private shape(
    type: GraphQLOutputType,
    nodes: readonly FieldNode[],
    variables: Variables,
    path: readonly string[],
    nonNull = false,
  ): Shape {
    if (isNonNullType(type)) return this.shape(type.ofType as GraphQLOutputType, nodes, variables, path, true);
    if (isListType(type)) return { kind: 'list', nonNull, item: this.shape(type.ofType, nodes, variables, path) };
    if (isLeafType(type)) return { kind: 'leaf', nonNull, type };
    const sets = nodes.flatMap((n) => (n.selectionSet ? [n.selectionSet] : []));
    if (isUnionType(type)) {
      const selections = new Map(
        type.getTypes().map((t) => [t.name, this.selection(t, sets, variables, path)] as const),
      );
      return { kind: 'union', nonNull, type, selections };
    }
    if (!isObjectType(type)) throw new Error(`${type.name} is an interface, and this graph has none`);
    return { kind: 'object', nonNull, selection: this.selection(type, sets, variables, path) };
  }
}

export const gathersBelow = (s: Shape): boolean => {
  if (s.kind === 'list') return gathersBelow(s.item);
  if (s.kind === 'union') return [...s.selections.values()].some((one) => one.gathers);
  return s.kind === 'object' && s.selection.gathers;
};

const holdsVariable = (v: unknown): boolean =>
  v !== null &&
  typeof v === 'object' &&
  ((v as { kind?: string }).kind === Kind.VARIABLE ||
    Object.entries(v).some(([k, x]) => k !== 'loc' && (Array.isArray(x) ? x.some(holdsVariable) : holdsVariable(x))));

function attemptArgs(field: GraphQLField<unknown, unknown>, node: FieldNode): { args?: Record<string, unknown> } {
  try {
    return { args: getArgumentValues(field, node, {}) };
  } catch {
    return {};
  }
}
