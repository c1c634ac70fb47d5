import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import { compilePer } from '../per';
import type { ConcurrencyGuardDocument } from './schema';

/** A call counts from here until its reply is made; a body that is passed on unread does not hold its place. Counts are of this process. */
export const concurrencyGuard: GuardKind<ConcurrencyGuardDocument> = {
  kind: 'concurrency',
  words: 'limits calls at the same time',
  compile(guard, context) {
    const nameOf = compilePer(guard.per, context);
    const going = new Map<string, number>();
    return async ({ run }) => {
      const name = await nameOf(run);
      const n = going.get(name) ?? 0;
      if (n >= guard.calls)
        throw new Refusal('HNG-416', {
          detail: `At most ${guard.calls} calls at the same time; wait for one to end.`,
          headers: { 'retry-after': '1' },
          inner: `counted for ${name}`,
        });
      going.set(name, n + 1);
      run.endings.push(() => {
        const left = going.get(name)! - 1;
        if (left) going.set(name, left);
        else going.delete(name);
      });
    };
  },
};
