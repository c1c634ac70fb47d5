import { DateTime } from 'luxon';
import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import { counting } from '../per';
import type { QuotaGuardDocument } from './schema';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/**
 * The period of the calendar that a moment lies in: beginning and end, milliseconds since 1970. Of a zone its own calendar: a day there may have 23 or 25
 * hours, and begins with the first moment that has its date.
 */
export function periodOf(
  each: QuotaGuardDocument['each'],
  at: number,
  zone?: string,
): { readonly from: number; readonly to: number } {
  if (zone !== undefined && zone !== 'UTC') {
    const begins = DateTime.fromMillis(at, { zone }).startOf(each);
    return {
      from: begins.toMillis(),
      to: begins
        .plus({ [each]: 1 })
        .startOf(each)
        .toMillis(),
    };
  }
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

/** So many calls in each period of the calendar. */
export const quotaGuard: GuardKind<QuotaGuardDocument> = {
  kind: 'quota',
  words: 'limits the calls of a day or a month',
  compile(guard, context) {
    const counted = counting('quota', guard.per, context);
    return async ({ run }) => {
      const { counters, name, whom } = await counted(run);
      const now = Date.now();
      const { from, to } = periodOf(guard.each, now, guard.zone);
      const used = await counters.period(name, guard.calls, from, to);
      const seconds = Math.max(1, Math.ceil((to - now) / 1000));
      const limit = (left: number) => ({
        'ratelimit-policy': `"quota";q=${guard.calls};w=${(to - from) / 1000}`,
        ratelimit: `"quota";r=${left};t=${seconds}`,
      });
      if (used === undefined)
        throw new Refusal('HNG-411', {
          detail: `The ${guard.calls} calls of this ${guard.each} are used; the next ${guard.each} begins at ${new Date(to).toISOString()}.`,
          headers: { ...limit(0), 'retry-after': String(seconds) },
          inner: `counted for ${whom}`,
        });
      // Of two limits the one that is nearer is told.
      if (run.replyHeaders.ratelimit === undefined) Object.assign(run.replyHeaders, limit(guard.calls - used));
    };
  },
};
