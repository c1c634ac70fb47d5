import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import { counting } from '../per';
import type { ConcurrencyGuardDocument } from './schema';

/** A call counts from here until its reply is made; a body that is passed on unread does not hold its place. */
export const concurrencyGuard: GuardKind<ConcurrencyGuardDocument> = {
  kind: 'concurrency',
  words: 'limits calls at the same time',
  compile(guard, context) {
    const counted = counting('concurrency', guard.per, context);
    return async ({ run }) => {
      const { counters, name, whom } = await counted(run);
      const leave = await counters.enter(name, guard.calls);
      if (!leave)
        throw new Refusal('HNG-416', {
          detail: `At most ${guard.calls} calls at the same time; wait for one to end.`,
          headers: { 'retry-after': '1' },
          inner: `counted for ${whom}`,
        });
      run.endings.push(leave);
    };
  },
};
