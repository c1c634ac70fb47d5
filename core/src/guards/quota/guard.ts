import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import { compilePer } from '../per';
import type { QuotaGuardDocument } from './schema';

const MOST_KEYS = 50_000;
const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/** The period of the calendar that a moment lies in: beginning and end, milliseconds since 1970 in UTC. */
export function periodOf(each: QuotaGuardDocument['each'], at: number): { readonly from: number; readonly to: number } {
  if (each === 'hour' || each === 'day') {
    const length = each === 'hour' ? HOUR : DAY;
    const from = Math.floor(at / length) * length;
    return { from, to: from + length };
  }
  if (each === 'week') {
    // 1 January 1970 was a Thursday.
    const from = Math.floor((at + 3 * DAY) / (7 * DAY)) * 7 * DAY - 3 * DAY;
    return { from, to: from + 7 * DAY };
  }
  const d = new Date(at);
  return {
    from: Date.UTC(d.getUTCFullYear(), d.getUTCMonth(), 1),
    to: Date.UTC(d.getUTCFullYear(), d.getUTCMonth() + 1, 1),
  };
}

/** Counts are of this process, and begin anew with it. */
export const quotaGuard: GuardKind<QuotaGuardDocument> = {
  kind: 'quota',
  words: 'limits the calls of a day or a month',
  compile(guard, context) {
    const nameOf = compilePer(guard.per, context);
    const used = new Map<string, { from: number; calls: number }>();
    return async ({ run }) => {
      const name = await nameOf(run);
      const now = Date.now();
      const { from, to } = periodOf(guard.each, now);
      let u = used.get(name);
      if (u) used.delete(name);
      if (u?.from !== from) u = { from, calls: 0 };
      used.set(name, u);
      if (used.size > MOST_KEYS) used.delete(used.keys().next().value!);
      const seconds = Math.max(1, Math.ceil((to - now) / 1000));
      const limit = (left: number) => ({
        'ratelimit-policy': `"quota";q=${guard.calls};w=${(to - from) / 1000}`,
        ratelimit: `"quota";r=${left};t=${seconds}`,
      });
      if (u.calls >= guard.calls)
        throw new Refusal('HNG-411', {
          detail: `The ${guard.calls} calls of this ${guard.each} are used; the next ${guard.each} begins at ${new Date(to).toISOString()}.`,
          headers: { ...limit(0), 'retry-after': String(seconds) },
          inner: `counted for ${name}`,
        });
      u.calls++;
      // Of two limits the one that is nearer is told.
      if (run.replyHeaders.ratelimit === undefined) Object.assign(run.replyHeaders, limit(guard.calls - u.calls));
    };
  },
};
