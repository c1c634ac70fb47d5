import { z } from 'zod';
import type { Run } from '../flow/run';
import { runnable } from '../steps/expression';
import { countedName, OwnCounters, type Counters } from './counters';
import type { GuardContext } from './kind';

/** What counts apart from each other, for guards that count. */
export const perSchema = z
  .union([
    z.enum(['app', 'address', 'operation', 'door']),
    z.strictObject({ expression: z.string().min(1).max(20_000) }),
  ])
  .optional()
  .describe('What is counted apart; app when absent, and the address of the caller where no app is known');
export type Per = z.infer<typeof perSchema>;

/** The name under which a call is counted. */
export function compilePer(per: Per, { operationId, door }: GuardContext): (run: Run) => string | Promise<string> {
  const expression = typeof per === 'object' ? runnable(per.expression) : undefined;
  if (expression) return async (run) => String((await expression.evaluate(run.scope)) as string);
  if (per === 'operation') return () => operationId;
  if (per === 'door') return () => door ?? '';
  return (run) =>
    (per !== 'address' && run.identity?.app && `app ${run.identity.app.id}`) || `address ${run.request.remote ?? ''}`;
}

/** The scope of guards that all APIs share: they count for all of them together. */
export const WORKSPACE = 'the workspace';

export interface Counted {
  readonly counters: Counters;
  readonly name: string;
  readonly whom: string;
}

/** Where a guard that counts does so, and under which name: together for all that its scope covers. */
export function counting(kind: string, per: Per, context: GuardContext) {
  const nameOf = compilePer(per, context);
  const scope = `${kind} of ${context.scope ?? context.operationId}`;
  let own: OwnCounters | undefined;
  const under = (run: Run, whom: string): Counted => ({
    counters: run.ports.counters ?? (own ??= new OwnCounters(run.ports.clock.now)),
    name: countedName(`${context.scope === WORKSPACE ? '' : (run.more.api ?? '')} ${scope}`, whom),
    whom,
  });
  return (run: Run): Counted | Promise<Counted> => {
    const whom = nameOf(run);
    return typeof whom === 'string' ? under(run, whom) : whom.then((w) => under(run, w));
  };
}
