import type { Run } from '../../flow/run';
import { Refusal } from '../../problem';
import type { Taken } from '../counters';
import type { GuardKind } from '../kind';
import { counting, type Counted } from '../per';
import type { RateGuardDocument } from './schema';

/**
 * A sliding window, exact to the call: in no span of the window's length are more calls let in. Says how much is left by `RateLimit` and `RateLimit-Policy`
 * (draft-ietf-httpapi-ratelimit-headers), and by Retry-After (RFC 9110 §10.2.3) when it refuses.
 */
export const rateGuard: GuardKind<RateGuardDocument> = {
  kind: 'rate',
  words: 'limits how often a caller may call',
  compile(guard, context) {
    const counted = counting('rate', guard.per, context);
    const policy = `"default";q=${guard.calls};w=${Math.ceil(guard.seconds)}`;
    const judge = (run: Run, whom: string, { ok, left, waitMs }: Taken): void => {
      const ratelimit = `"default";r=${left};t=${Math.ceil(waitMs / 1000)}`;
      if (ok) {
        run.replyHeaders['ratelimit-policy'] = policy;
        run.replyHeaders.ratelimit = ratelimit;
        return;
      }
      const retry = Math.max(1, Math.ceil(waitMs / 1000));
      throw new Refusal('HNG-411', {
        detail: `At most ${guard.calls} calls in ${guard.seconds} seconds; the next may come in ${retry}.`,
        headers: { 'ratelimit-policy': policy, ratelimit, 'retry-after': String(retry) },
        inner: `counted for ${whom}`,
      });
    };
    const take = (run: Run, { counters, name, whom }: Counted): void | Promise<void> => {
      const taken = counters.window(name, guard.calls, guard.seconds * 1000);
      return 'then' in taken ? taken.then((t) => judge(run, whom, t)) : judge(run, whom, taken);
    };
    // Nothing waits where nothing has to be waited for.
    return ({ run }) => {
      const found = counted(run);
      return 'then' in found ? found.then((c) => take(run, c)) : take(run, found);
    };
  },
};
