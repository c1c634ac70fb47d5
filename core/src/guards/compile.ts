import type { FlowDocument, OperationDocument } from '../flow/document';
import type { Run } from '../flow/run';
import type { SecretPlaces } from '../message/secrets';
import { Refusal } from '../problem';
import type { CompiledGuard, GuardContext } from './kind';
import { GUARD_ORDER as ORDER, guardKind } from './registry';

export const NO_CHECKS: readonly CompiledGuard[] = [];

/** Guards of plans act once it is known who calls, besides those of API, door and operation. */
export function compilePlans(
  document: FlowDocument,
  context: GuardContext,
): ReadonlyMap<string, readonly CompiledGuard[]> {
  return new Map(
    Object.entries(document.plans ?? {}).map(([name, plan]) => [
      name,
      (plan.guards ?? []).flatMap((g) => {
        const act = g.off ? null : guardKind(g.kind).compile(g, { ...context, scope: `the plan ${name}` });
        return act ? named(act, g.kind, `the plan ${plan.name ?? name}`) : [];
      }),
    ]),
  );
}

/** Its refusals say which guard it was. */
export function named(act: CompiledGuard, kind: string, from: string): CompiledGuard {
  const tell = (error: unknown): never => {
    if (error instanceof Refusal) error.guard ??= { kind, from };
    throw error;
  };
  return (visit) => {
    try {
      return act(visit)?.catch(tell);
    } catch (error) {
      return tell(error);
    }
  };
}

/** A guard that finds out who calls, for runs that do not say so themselves. */
export const unlessKnown =
  (guard: CompiledGuard): CompiledGuard =>
  (visit) =>
    visit.run.more.identity?.app ? undefined : guard(visit);

/** A plan by its id or by its name. */
export const planNamed = (document: FlowDocument, name: string): string | undefined =>
  Object.hasOwn(document.plans ?? {}, name)
    ? name
    : Object.keys(document.plans ?? {}).find((id) => document.plans![id]!.name === name);

/** Lets a call of an operation in, or refuses by throwing. The run is the caller's request, with the operation's message. */
export type FieldGuard = (run: Run) => Promise<void>;

/**
 * Guards of single operations for a door that has one way in for many: those of API and door act once for the request, these once for each call.
 * Schemas are looked at by the operation itself.
 */
export function fieldGuards(
  document: FlowDocument,
  door: string,
  operations: Readonly<Record<string, OperationDocument>> = document.operations,
  what: 'operation' | 'topic' | 'field' = 'operation',
): ReadonlyMap<string, FieldGuard> {
  const all = new Map<string, FieldGuard>();
  for (const [operationId, operation] of Object.entries(operations)) {
    const context: GuardContext = { document, operationId, operation, door };
    const checks = (operation.guards ?? [])
      .filter((g) => !g.off && g.kind !== 'schema')
      .sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind))
      .flatMap((g) => {
        const scope = `the ${what} ${operationId}`;
        const kind = guardKind(g.kind);
        const made = kind.compile(g, { ...context, scope });
        if (!made) return [];
        const act = named(made, g.kind, scope);
        return [kind.knows ? unlessKnown(act) : act];
      });
    if (!checks.length) continue;
    const planned = compilePlans(document, context);
    all.set(operationId, async (run) => {
      const before = run.planName;
      for (const check of checks) await check({ run, parameterFaults: [] });
      if (run.planName === undefined || run.planName === before) return;
      // Another app than the door's: its plan has not acted yet.
      for (const check of planned.get(run.planName) ?? NO_CHECKS) await check({ run, parameterFaults: [] });
    });
  }
  return all;
}

/** Where callers of a document send secrets, at any door. */
export function secretsOf(document: FlowDocument): SecretPlaces {
  const all = [
    document.guards,
    ...document.doors.map((d) => d.guards),
    ...Object.values(document.topics ?? {}).flatMap((t) => [t.door?.guards, t.door?.callback?.guards]),
    ...Object.values(document.operations).map((o) => o.guards),
    ...[...Object.values(document.plans ?? {}), ...Object.values(document.graph?.fields ?? {})].map((p) => p.guards),
  ].flatMap((guards) => (guards ?? []).flatMap((g) => guardKind(g.kind).secrets?.(g) ?? []));
  return {
    headers: new Set(all.flatMap((s) => [...s.headers])),
    query: new Set(all.flatMap((s) => [...s.query])),
  };
}
