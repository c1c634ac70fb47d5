import type { JsonSchema } from './types';

/** Bounds that a type of XML Schema has by itself: its name says them. */
const OF_TYPES = new Set([
  ...[7, 8, 15, 16, 31, 32, 53].flatMap((bits) => [2 ** bits - 1, 2 ** bits, -(2 ** bits), -(2 ** bits) + 1]),
]);

/** What a schema asks of a value besides its type, in words: "3 to 10 characters, matches [A-Z]+". Empty where it asks nothing. */
export function ruleWords(s: JsonSchema): string {
  const out: string[] = [];
  const count = (low: number | undefined, high: number | undefined, one: string): void => {
    const words = between(low === 0 ? undefined : low, high);
    if (words)
      out.push(
        `${words} ${(low === high || low === undefined ? high : low) === 1 && (high ?? 1) === 1 ? one : `${one}s`}`,
      );
  };
  count(s.minItems, s.maxItems, 'item');
  if (s.uniqueItems) out.push('none twice');
  count(s.minLength, s.maxLength, 'character');
  const known = (n: number | undefined) => (n === undefined || OF_TYPES.has(n) ? undefined : n);
  const range = between(known(s.minimum), known(s.maximum));
  if (range) out.push(range);
  if (s.exclusiveMinimum !== undefined) out.push(`more than ${s.exclusiveMinimum}`);
  if (s.exclusiveMaximum !== undefined) out.push(`less than ${s.exclusiveMaximum}`);
  if (s.multipleOf !== undefined) out.push(`a multiple of ${s.multipleOf}`);
  // Types of XML Schema carry their form under their name.
  if (s.pattern !== undefined && !s.title?.startsWith('xs:')) out.push(`matches ${bare(s.pattern)}`);
  if (s.const !== undefined) out.push(`always ${JSON.stringify(s.const)}`);
  else if (s.default !== undefined) out.push(`${JSON.stringify(s.default)} where nothing is given`);
  return out.join(', ');
}

function between(low: number | undefined, high: number | undefined): string | undefined {
  if (low === undefined) return high === undefined ? undefined : `at most ${high}`;
  if (high === undefined) return `at least ${low}`;
  return low === high ? String(low) : `${low} to ${high}`;
}

/** A pattern without what anchors it whole. */
const bare = (pattern: string): string => /^\^\(\?:(.*)\)\$$/s.exec(pattern)?.[1] ?? pattern;
