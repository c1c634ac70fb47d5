import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import { compilePer } from '../per';
import { Windows } from './windows';
import type { RateGuardDocument } from './schema';

/**
 * A sliding window, exact to the call: in no span of the window's length are more calls let in. Says how much is left by `RateLimit` and `RateLimit-Policy`
 * (draft-ietf-httpapi-ratelimit-headers), and by Retry-After (RFC 9110 §10.2.3) when it refuses. Counts are of this process.
 */
export const rateGuard: GuardKind<RateGuardDocument> = {
  kind: 'rate',
  words: 'limits how often a caller may call',
  compile(guard, context) {
    const windows = new Windows(guard.calls, guard.seconds * 1000);
    const nameOf = compilePer(guard.per, context);
    const policy = `"default";q=${guard.calls};w=${Math.ceil(guard.seconds)}`;
    return async ({ run }) => {
      const key = await nameOf(run);
      const { ok, left, waitMs } = windows.take(key, run.ports.clock.now());
      const limit = {
        'ratelimit-policy': policy,
        ratelimit: `"default";r=${left};t=${Math.ceil(waitMs / 1000)}`,
      };
      if (ok) {
        Object.assign(run.replyHeaders, limit);
        return;
      }
      const retry = Math.max(1, Math.ceil(waitMs / 1000));
      throw new Refusal('HNG-411', {
        detail: `At most ${guard.calls} calls in ${guard.seconds} seconds; the next may come in ${retry}.`,
        headers: { ...limit, 'retry-after': String(retry) },
        inner: `counted for ${key}`,
      });
    };
  },
};
