import { closest, distance } from 'fastest-levenshtein';

/** The known word that a misspelled one is nearest to; undefined where none is near (of its letters more than four in ten differ). */
export function nearest(word: string, known: readonly string[]): string | undefined {
  if (!known.length || word.length > 100) return undefined;
  const same = known.find((k) => k.toLowerCase() === word.toLowerCase());
  if (same !== undefined) return same;
  const found = closest(word, known);
  return distance(word, found) <= Math.max(1, Math.floor(0.4 * Math.max(word.length, found.length)))
    ? found
    : undefined;
}

/** What to write instead: the nearest word, or those that there are, at most twelve. */
export function insteadOf(word: string, known: readonly string[], none = ''): string {
  const near = nearest(word, known);
  if (near !== undefined) return `Write ${near}?`;
  if (!known.length) return none;
  const more = known.length - 12;
  return `There ${known.length === 1 ? 'is' : 'are'} ${known.slice(0, 12).join(', ')}${more > 0 ? ` and ${more} more` : ''}.`;
}
