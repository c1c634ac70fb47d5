import { Refusal } from '../../problem';
import { runnable } from '../../steps/expression';
import type { GuardKind } from '../kind';
import { Windows } from './windows';
import type { RateGuardDocument } from './schema';

/**
 * A sliding window, exact to the call: in no span of the window's length are more calls let in. Says how much is left by `RateLimit` and `RateLimit-Policy`
 * (draft-ietf-httpapi-ratelimit-headers), and by Retry-After (RFC 9110 §10.2.3) when it refuses. Counts are of this process.
 */
export const rateGuard: GuardKind<RateGuardDocument> = {
  kind: 'rate',
  words: 'limits how often a caller may call',
  compile(guard, { operationId, door }) {
    const windows = new Windows(guard.calls, guard.seconds * 1000);
    const expression = typeof guard.per === 'object' ? runnable(guard.per.expression) : undefined;
    const policy = `"default";q=${guard.calls};w=${Math.ceil(guard.seconds)}`;
    return async ({ run }) => {
      let key: string;
      if (expression) key = String((await expression.evaluate(run.scope)) as string);
      else if (guard.per === 'operation') key = operationId;
      else if (guard.per === 'door') key = door ?? '';
      else
        key =
          (guard.per !== 'address' && run.identity?.app && `app ${run.identity.app.id}`) ||
          `address ${run.request.remote ?? ''}`;
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
