import type { CharSet } from './sets';

/** A pattern as a tree: what XML Schema (Part 2 appendix F) and ECMA-262 (§22.2.1) have in common. `max` may be Infinity. */
export type Pattern =
  | { readonly kind: 'set'; readonly set: CharSet; /** Where it is one character. */ readonly code?: number }
  | { readonly kind: 'sequence'; readonly parts: readonly Pattern[] }
  | { readonly kind: 'choice'; readonly parts: readonly Pattern[] }
  | { readonly kind: 'repeat'; readonly of: Pattern; readonly min: number; readonly max: number }
  | { readonly kind: 'edge'; readonly at: 'start' | 'end' }
  /** What no automaton does: a look around (`of`), the edge of a word, or what a group has matched. */
  | { readonly kind: 'beyond'; readonly of?: Pattern; readonly again?: true };

/** Not a pattern, or beyond a bound. `index` counts UTF-16 units. */
export class PatternError extends Error {
  constructor(
    readonly words: string,
    readonly index: number,
  ) {
    super(`${words} (character ${index + 1})`);
  }
}

/** What a text is to a pattern. `unknown`: finding out would take more work than the bounds allow. */
export type Verdict = 'match' | 'mismatch' | 'unknown';
export type Matcher = (text: string) => Verdict;

/** Whether a repetition, or a choice, stands within a repetition: a backtracking engine may then need exponential time. */
export function mayExplode(p: Pattern, repeated = false): boolean {
  switch (p.kind) {
    case 'set':
    case 'edge':
      return false;
    case 'beyond':
      return (repeated && p.again === true) || (p.of !== undefined && mayExplode(p.of, repeated));
    case 'sequence':
      return p.parts.some((part) => mayExplode(part, repeated));
    case 'choice':
      return repeated || p.parts.some((part) => mayExplode(part));
    case 'repeat':
      if (p.max <= 1) return mayExplode(p.of, repeated);
      return (repeated && p.max !== p.min) || mayExplode(p.of, true);
  }
}

/** Repetitions that may differ by a hundred times or more, one behind the other: with `n` of them a text can cost its length to the `n`. */
export function longLoops(p: Pattern): number {
  switch (p.kind) {
    case 'set':
    case 'edge':
      return 0;
    case 'beyond':
      return p.of ? longLoops(p.of) : p.again ? 1 : 0;
    case 'choice':
      return p.parts.reduce((n, part) => n + longLoops(part), 0);
    case 'repeat':
      return longLoops(p.of) + (p.max - p.min >= 100 ? 1 : 0);
    case 'sequence': {
      // Who has looked around does not do so again for another way through what follows.
      let behind = 0;
      let most = 0;
      for (const part of p.parts) {
        if (part.kind === 'beyond') most = Math.max(most, behind + longLoops(part));
        else behind += longLoops(part);
      }
      return Math.max(most, behind);
    }
  }
}

/** Whether no more than what a long loop has matched already is needed where there is one: then it need not turn back. */
export function endsWithLoop(p: Pattern): boolean {
  switch (p.kind) {
    case 'sequence':
      return p.parts.every((part, i) => longLoops(part) === 0 || (i === p.parts.length - 1 && endsWithLoop(part)));
    case 'choice':
      return p.parts.every((part) => longLoops(part) === 0 || endsWithLoop(part));
    case 'repeat':
      return p.of.kind === 'set';
    default:
      return longLoops(p) === 0;
  }
}

/** Whether every way through it begins at the start of the text. */
export function isAnchored(p: Pattern): boolean {
  switch (p.kind) {
    case 'edge':
      return p.at === 'start';
    case 'sequence':
      return p.parts.length > 0 && isAnchored(p.parts[0]!);
    case 'choice':
      return p.parts.every(isAnchored);
    default:
      return false;
  }
}

/** Whether an automaton can do all of it. */
export function isRegular(p: Pattern): boolean {
  switch (p.kind) {
    case 'beyond':
      return false;
    case 'sequence':
    case 'choice':
      return p.parts.every(isRegular);
    case 'repeat':
      return isRegular(p.of);
    default:
      return true;
  }
}
