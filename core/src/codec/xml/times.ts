import type { SimpleType } from '../../contract/xsd';
import { brief, firstBroken, type Rule } from './simple-values';

/** The order of dates, times and durations (XML Schema Part 2 §3.2.6.2, §3.2.7.4). It is partial: some two cannot be compared. */

interface Moment {
  /** Whole seconds from the first day of the year 0 of the proleptic Gregorian calendar, in UTC where the text names an offset. */
  readonly seconds: bigint;
  /** Digits behind the point, without zeros at the end. */
  readonly fraction: string;
  readonly zoned: boolean;
}

const TEXT =
  /^(?:(-?\d{4,})(?:-(\d\d)(?:-(\d\d))?)?|--(\d\d)(?:-(\d\d))?|---(\d\d))?(?:T?(\d\d):(\d\d):(\d\d)(?:\.(\d+))?)?(Z|[+-]\d\d:\d\d)?$/;

/** `text` has the form of its type; what it does not say is taken from the leap year 1972 (§3.2.7.4 and following). */
function momentOf(text: string): Moment | undefined {
  const m = TEXT.exec(text);
  if (!m) return undefined;
  const year = BigInt(m[1] ?? 1972);
  const days = daysBefore(year < 0n ? year + 1n : year, BigInt(m[2] ?? m[4] ?? 1), BigInt(m[3] ?? m[5] ?? m[6] ?? 1));
  const clock = BigInt(Number(m[7] ?? 0) * 3600 + Number(m[8] ?? 0) * 60 + Number(m[9] ?? 0));
  const zone = m[11];
  const [, sign, hours, minutes] = /^([+-])(\d\d):(\d\d)$/.exec(zone ?? '') ?? [];
  const offset = BigInt((Number(hours ?? 0) * 60 + Number(minutes ?? 0)) * (sign === '-' ? -60 : 60));
  return {
    seconds: days * 86_400n + clock - offset,
    fraction: (m[10] ?? '').replace(/0+$/, ''),
    zoned: zone !== undefined,
  };
}

/** Days from 0000-03-01 to a date of the proleptic Gregorian calendar; `month` may be any number. */
function daysBefore(year: bigint, month: bigint, day: bigint): bigint {
  const from = month - 3n;
  const y = year + floorDiv(from, 12n);
  const m = from - floorDiv(from, 12n) * 12n;
  return y * 365n + floorDiv(y, 4n) - floorDiv(y, 100n) + floorDiv(y, 400n) + (m * 153n + 2n) / 5n + day - 1n;
}

function floorDiv(a: bigint, b: bigint): bigint {
  const q = a / b;
  return a % b !== 0n && a < 0n ? q - 1n : q;
}

function compareMoments(a: Moment, b: Moment): number {
  if (a.seconds !== b.seconds) return a.seconds < b.seconds ? -1 : 1;
  const width = Math.max(a.fraction.length, b.fraction.length);
  const x = a.fraction.padEnd(width, '0');
  const y = b.fraction.padEnd(width, '0');
  return x === y ? 0 : x < y ? -1 : 1;
}

const FOURTEEN_HOURS = 50_400n;

function order(a: Moment, b: Moment): number | undefined {
  if (a.zoned === b.zoned) return compareMoments(a, b);
  // One without an offset may be anywhere within fourteen hours on both sides (§3.2.7.4 C, D).
  const [zoned, local, turn] = a.zoned ? [a, b, 1] : [b, a, -1];
  if (compareMoments(zoned, { ...local, seconds: local.seconds - FOURTEEN_HOURS }) < 0) return -turn;
  if (compareMoments(zoned, { ...local, seconds: local.seconds + FOURTEEN_HOURS }) > 0) return turn;
  return undefined;
}

const DURATION = /^(-)?P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:\.(\d+))?S)?)?$/;
/** The four starts from which two durations must compare alike (§3.2.6.2). */
const STARTS = [
  [1696n, 9n],
  [1697n, 2n],
  [1903n, 3n],
  [1903n, 7n],
] as const;

/** Attoseconds after each of the four starts; a finer fraction is cut off. */
function endsOf(text: string): readonly bigint[] | undefined {
  const m = DURATION.exec(text);
  if (!m) return undefined;
  const n = (i: number) => BigInt(m[i] ?? 0);
  const sign = m[1] ? -1n : 1n;
  const months = sign * (n(2) * 12n + n(3));
  const rest = ((n(4) * 24n + n(5)) * 60n + n(6)) * 60n + n(7);
  const fine = BigInt((m[8] ?? '').slice(0, 18).padEnd(18, '0'));
  return STARTS.map(
    ([year, month]) => daysBefore(year, month + months, 1n) * 86_400n * 10n ** 18n + sign * (rest * 10n ** 18n + fine),
  );
}

function orderDurations(a: readonly bigint[], b: readonly bigint[]): number | undefined {
  const signs = a.map((x, i) => (x < b[i]! ? -1 : x > b[i]! ? 1 : 0));
  return signs.every((s) => s === signs[0]) ? signs[0] : undefined;
}

const TIMES = new Set(['dateTime', 'date', 'time', 'gYear', 'gYearMonth', 'gMonthDay', 'gDay', 'gMonth']);

/** What compares values of `builtin` with `to`: -1, 0, 1, or undefined where the two cannot be compared. Undefined for other types. */
function comparison(builtin: string, to: string): ((text: string) => number | undefined) | undefined {
  if (builtin === 'duration') {
    const bound = endsOf(to);
    return bound && ((text) => orderDurations(endsOf(text)!, bound));
  }
  const bound = TIMES.has(builtin) ? momentOf(to) : undefined;
  return bound && ((text) => order(momentOf(text)!, bound));
}

/** minInclusive and its like for dates, times and durations (§4.3.7 to §4.3.10); the text has the form of its type. */
export function boundsRule(type: SimpleType): Rule | undefined {
  const f = type.facets;
  const duration = type.builtin === 'duration';
  const rules: Rule[] = [];
  const add = (bound: string | undefined, fits: (n: number) => boolean, words: string) => {
    const compare = bound === undefined ? undefined : comparison(type.builtin, bound);
    if (!compare) return;
    rules.push((text) => {
      const n = compare(text);
      if (n === undefined) return `${brief(text)} cannot be compared with ${bound}: only one of them has an offset`;
      return fits(n) ? undefined : `${brief(text)} is ${words} ${bound}`;
    });
  };
  add(f.minInclusive, (n) => n >= 0, duration ? 'shorter than' : 'before');
  add(f.maxInclusive, (n) => n <= 0, duration ? 'longer than' : 'after');
  add(f.minExclusive, (n) => n > 0, duration ? 'not longer than' : 'not after');
  add(f.maxExclusive, (n) => n < 0, duration ? 'not shorter than' : 'not before');
  return firstBroken(rules);
}

/** Whether two texts of a type are the same moment or the same duration. */
export function sameTime(builtin: string, a: string, b: string): boolean {
  return comparison(builtin, a)?.(b) === 0;
}
