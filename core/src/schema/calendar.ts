/** Days that months have; the 29th of February is left to `realDay`. Sources of regular expressions. */
export const MONTH_DAY =
  '(?:(?:0[13578]|1[02])-(?:0[1-9]|[12]\\d|3[01])|(?:0[469]|11)-(?:0[1-9]|[12]\\d|30)|02-(?:0[1-9]|[12]\\d))';
export const CLOCK = '(?:[01]\\d|2[0-3]):[0-5]\\d:[0-5]\\d(?:\\.\\d+)?';

/** False for the 29th of February of a year that has none (RFC 3339 appendix C; XML Schema Part 2 §3.2.9). `text` starts with a date. */
export function realDay(text: string): boolean {
  const m = /^(-?\d{4,})-02-29/.exec(text);
  if (!m) return true;
  const year = BigInt(m[1]!);
  return year % 4n === 0n && (year % 100n !== 0n || year % 400n === 0n);
}
