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
  // A caller often comes many times in a row; a text that is made anew is read anew wherever it is looked up.
  let last = { id: '', text: 'app ' };
  return (run) => {
    const app = per === 'address' ? undefined : run.identity?.app;
    if (!app) return `address ${run.request.remote ?? ''}`;
    if (app.id !== last.id) last = { id: app.id, text: `app ${app.id}` };
    return last.text;
  };
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
  let last = { api: '', whom: '', name: countedName(` ${scope}`, '') };
  const under = (run: Run, whom: string): Counted => {
    const api = context.scope === WORKSPACE ? '' : (run.more.api ?? '');
    if (whom !== last.whom || api !== last.api) last = { api, whom, name: countedName(`${api} ${scope}`, whom) };
    return { counters: run.ports.counters ?? (own ??= new OwnCounters(run.ports.clock.now)), name: last.name, whom };
  };
  return (run: Run): Counted | Promise<Counted> => {
    const whom = nameOf(run);
    return typeof whom === 'string' ? under(run, whom) : whom.then((w) => under(run, w));
  };
}
