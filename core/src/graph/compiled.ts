import {
  executeSync,
  getArgumentValues,
  getVariableValues,
  GraphQLError,
  GraphQLFloat,
  GraphQLString,
  Kind,
  locatedError,
  type DocumentNode,
  type GraphQLSchema,
  type OperationDefinitionNode,
} from 'graphql';
import { Digits } from '../message/digits';
import {
  gathersBelow,
  NO_ARGS,
  PlanMaker,
  type FieldPlan,
  type Selection,
  type Shape,
  type Variables,
} from './selections';

/**
 * A query as a plan that is made once and run for each request (specification of October 2021, §6.2 to §6.4): fields are collected, fragments opened and arguments
 * without variables read beforehand. It goes through a level of the answer at a time, so that what a list's items look up is asked for together. It must
 * agree with `execute` of the package `graphql`, which answers what asks for the schema itself and nothing else: where a list of it throws
 * while earlier items wait, it leaves their rejections to nobody (16.15), and the process ends.
 */
export interface CompiledQuery {
  /** `source`: of a subscription, the event as a member of the name of its field (§6.2.3.2). */
  run(
    context: unknown,
    variables: Readonly<Record<string, unknown>> | undefined,
    source?: unknown,
  ): Promise<CompiledResult>;
}

export interface CompiledResult {
  readonly data?: Record<string, unknown> | null;
  readonly errors?: readonly GraphQLError[];
}

/** A place in the answer that may become null. */
interface Slot {
  readonly holder: Record<string, unknown> | unknown[];
  readonly key: string | number;
  readonly nonNull: boolean;
  readonly parent: Slot | undefined;
  /** It was set to null for what failed inside. */
  dead?: boolean;
}

interface Entry {
  readonly source: unknown;
  readonly into: Record<string, unknown>;
  /** Of the object itself; none for the root. */
  readonly slot: Slot | undefined;
  /** Where the value said which form it has. */
  readonly selection?: Selection;
}

/** Plans of one query: one for each way its @skip and @include can go. */
const MOST_PLANS = 64;

/** The query must be valid. */
export function compileQuery(
  schema: GraphQLSchema,
  document: DocumentNode,
  operation: OperationDefinitionNode,
): CompiledQuery {
  const root = schema.getRootType(operation.operation)!;
  const maker = new PlanMaker(schema, document);
  const switches = maker.switches(operation.selectionSet);
  const plans = new Map<string, Selection>();
  const definitions = operation.variableDefinitions ?? [];
  const serial = operation.operation === 'mutation';
  return {
    async run(context, given, source) {
      let variables: Variables = NO_ARGS;
      if (definitions.length) {
        const read = getVariableValues(schema, definitions, given ?? {}, { maxErrors: 50 });
        if (read.errors) return { errors: read.errors };
        variables = read.coerced;
      }
      const key = switches.length ? JSON.stringify(switches.map((s) => variables[s] === true)) : '';
      let plan = plans.get(key);
      if (!plan) {
        plan = maker.selection(root, [operation.selectionSet], variables, []);
        if (plans.size >= MOST_PLANS) plans.clear();
        plans.set(key, plan);
      }
      const introspect = (field: FieldPlan): unknown => {
        const asked = { ...operation, selectionSet: { kind: Kind.SELECTION_SET, selections: field.nodes } } as const;
        const others = document.definitions.filter((d) => d.kind === Kind.FRAGMENT_DEFINITION);
        const result = executeSync({
          schema,
          document: { kind: Kind.DOCUMENT, definitions: [asked, ...others] },
          variableValues: given,
        });
        if (result.errors) throw result.errors[0]!;
        return result.data?.[field.key];
      };
      return new Execution(context, variables, introspect).root(plan, serial, source);
    },
  };
}

class Execution {
  private readonly errors: GraphQLError[] = [];
  private lost = false;

  constructor(
    private readonly context: unknown,
    private readonly variables: Variables,
    private readonly introspect: (field: FieldPlan) => unknown,
  ) {}

  async root(plan: Selection, serial: boolean, source: unknown): Promise<CompiledResult> {
    const into = emptyFor(plan);
    const entry: Entry[] = [{ source, into, slot: undefined }];
    if (serial)
      for (const field of plan.fields) {
        const waits: Promise<void>[] = [];
        this.field(field, entry, waits);
        await Promise.all(waits);
        if (this.lost) break;
      }
    else await this.selection(plan, entry);
    return { data: this.lost ? null : into, ...(this.errors.length && { errors: this.errors }) };
  }

  /** One selection for all objects of a level. */
  private selection(plan: Selection, entries: readonly Entry[]): Promise<unknown> | undefined {
    const waits: Promise<void>[] = [];
    for (const field of plan.fields) this.field(field, entries, waits);
    return waits.length ? Promise.all(waits) : undefined;
  }

  private field(plan: FieldPlan, entries: readonly Entry[], waits: Promise<void>[]): void {
    const { key, property, shape } = plan;
    if (plan.constant !== undefined) {
      for (const e of entries) e.into[key] = plan.constant;
      return;
    }
    if (plan.introspects) {
      for (const e of entries)
        try {
          e.into[key] = this.introspect(plan);
        } catch (error) {
          this.fail(plan, error, slotOf(plan, e));
        }
      return;
    }
    if (property !== undefined) {
      const below: Entry[] = [];
      for (const e of entries) {
        const { source } = e;
        const value =
          source !== null && typeof source === 'object' && Object.hasOwn(source, property)
            ? (source as Record<string, unknown>)[property]
            : undefined;
        // Texts as they are: most of every answer.
        if (shape.kind === 'leaf' && shape.type === GraphQLString && typeof value === 'string') e.into[key] = value;
        else this.place(plan, value, e, below);
      }
      this.descend(plan.shape, below, waits);
      return;
    }
    const together: Entry[] | undefined = gathersBelow(plan.shape) ? [] : undefined;
    const settled: Promise<void>[] = [];
    for (const e of entries) {
      // Nobody is called for what is null already.
      if (this.errors.length && isDead(e.slot)) continue;
      let value: unknown;
      try {
        const args = plan.args ?? getArgumentValues(plan.field!, plan.nodes[0]!, this.variables);
        value = plan.field!.resolve!(e.source, args, this.context, plan.info as never);
      } catch (error) {
        this.fail(plan, error, slotOf(plan, e));
        continue;
      }
      if (!(value instanceof Promise)) {
        const found: Entry[] = together ?? [];
        this.place(plan, value, e, found);
        if (!together) this.descend(plan.shape, found, waits);
        continue;
      }
      const done = (value as Promise<unknown>).then(
        (v) => {
          const found: Entry[] = together ?? [];
          this.place(plan, v, e, found);
          return together ? undefined : this.below(plan.shape, found);
        },
        (error: unknown) => {
          this.fail(plan, error, slotOf(plan, e));
          return undefined;
        },
      );
      (together ? settled : waits).push(done as Promise<void>);
    }
    if (!together) return;
    const rest = () => this.below(plan.shape, together) as Promise<void> | undefined;
    if (settled.length) waits.push(Promise.all(settled).then(rest));
    else this.descend(plan.shape, together, waits);
  }

  private descend(shape: Shape, found: readonly Entry[], waits: Promise<void>[]): void {
    const wait = this.below(shape, found);
    if (wait) waits.push(wait as Promise<void>);
  }

  private below(shape: Shape, found: readonly Entry[]): Promise<unknown> | undefined {
    const alive = this.errors.length ? found.filter((e) => !isDead(e.slot)) : found;
    if (!alive.length) return undefined;
    const one = below(shape);
    if (one) return this.selection(one, alive);
    // Each form by itself, beside the others.
    const forms = new Map<Selection, Entry[]>();
    for (const e of alive) {
      const have = forms.get(e.selection!);
      if (have) have.push(e);
      else forms.set(e.selection!, [e]);
    }
    const waits = [...forms].flatMap(([selection, entries]) => this.selection(selection, entries) ?? []);
    return waits.length ? Promise.all(waits) : undefined;
  }

  private place(plan: FieldPlan, value: unknown, e: Entry, found: Entry[]): void {
    if (plan.shape.kind === 'leaf') {
      // Nothing inside can fail later.
      try {
        e.into[plan.key] = this.leaf(plan, plan.shape, value);
      } catch (error) {
        this.fail(plan, error, slotOf(plan, e));
      }
      return;
    }
    const slot = slotOf(plan, e);
    try {
      const done = this.complete(plan, plan.shape, value, slot, found);
      // Something inside may have made it null meanwhile.
      if (!slot.dead) e.into[plan.key] = done;
    } catch (error) {
      this.fail(plan, error, slot);
    }
  }

  /** CompleteValue (§6.4.3); objects come back empty, and are filled as entries of the next level. */
  private complete(plan: FieldPlan, shape: Shape, value: unknown, slot: Slot, found: Entry[]): unknown {
    if (shape.kind === 'leaf') return this.leaf(plan, shape, value);
    if (value instanceof Error) throw value;
    if (value === null || value === undefined) return nothing(plan, shape);
    if (shape.kind === 'object') {
      const into = emptyFor(shape.selection);
      found.push({ source: value, into, slot });
      return into;
    }
    if (shape.kind === 'union') {
      const selection = shape.selections.get(
        shape.type.resolveType!(value, this.context, plan.info as never, shape.type) as string,
      )!;
      const into = emptyFor(selection);
      found.push({ source: value, into, slot, selection });
      return into;
    }
    if (!Array.isArray(value))
      throw new GraphQLError(`Expected Iterable, but did not find one for field "${plan.parent}.${plan.field!.name}".`);
    const out = new Array<unknown>(value.length);
    const { item } = shape;
    for (let i = 0; i < value.length; i++) {
      const own: Slot = { holder: out, key: i, nonNull: item.nonNull, parent: slot };
      try {
        const done = this.complete(plan, item, value[i], own, found);
        out[i] = own.dead ? null : done;
      } catch (error) {
        this.fail(plan, error, own);
      }
    }
    return out;
  }

  private leaf(plan: FieldPlan, shape: Extract<Shape, { kind: 'leaf' }>, value: unknown): unknown {
    if (value instanceof Error) throw value;
    if (value === null || value === undefined) return nothing(plan, shape);
    // The digits of the backend are the caller's too.
    if (value instanceof Digits && shape.type === GraphQLFloat) return value;
    const out: unknown = shape.type.serialize(value);
    if (out === null || out === undefined)
      throw new Error(
        `Expected \`${String(shape.type)}.serialize(${JSON.stringify(value)})\` to return non-nullable value, returned: ${String(out)}`,
      );
    return out;
  }

  /** A field that failed is null, or what holds it is, up to where null may stand (§6.4.4). */
  private fail(plan: FieldPlan, error: unknown, slot: Slot): void {
    if (this.lost || isDead(slot)) return;
    const path: (string | number)[] = [];
    for (let s: Slot | undefined = slot; s; s = s.parent) path.unshift(s.key);
    this.errors.push(locatedError(error, plan.nodes, path));
    let at: Slot | undefined = slot;
    while (at?.nonNull) {
      at.dead = true;
      at = at.parent;
    }
    if (!at) {
      this.lost = true;
      return;
    }
    at.dead = true;
    (at.holder as Record<string | number, unknown>)[at.key] = null;
  }
}

function nothing(plan: FieldPlan, shape: Shape): null {
  if (shape.nonNull) throw new Error(`Cannot return null for non-nullable field ${plan.parent}.${plan.field!.name}.`);
  return null;
}

function isDead(slot: Slot | undefined): boolean {
  for (let s = slot; s; s = s.parent) if (s.dead) return true;
  return false;
}

/** Of what there is but one form. */
const below = (s: Shape): Selection | undefined =>
  s.kind === 'list' ? below(s.item) : s.kind === 'object' ? s.selection : undefined;

const slotOf = (plan: FieldPlan, e: Entry): Slot => ({
  holder: e.into,
  key: plan.key,
  nonNull: plan.shape.nonNull,
  parent: e.slot,
});

/** All members in the order of the query, whenever their values come. */
function emptyFor(plan: Selection): Record<string, unknown> {
  const out = (plan.plain ? {} : Object.create(null)) as Record<string, unknown>;
  for (const f of plan.fields) out[f.key] = null;
  return out;
}
