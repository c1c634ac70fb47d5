import { NAME_CHARS, NAME_START } from '../xml/characters';
import { blockNamed } from './blocks';

/** A set of characters (Part 2 appendix F.1): what stands in `items` or in one of `also`, or all the rest. */
export interface CharSet {
  readonly negated: boolean;
  /** The inside of a character class of ECMA-262 with the flag u; may be empty. */
  readonly items: string;
  /** As `items`, in the plainest form: digits and blanks of ASCII, as readers of a published schema expect them. */
  readonly plain: string;
  readonly also: readonly CharSet[];
  /** What is taken away, `[a-z-[aeiou]]`. */
  readonly minus?: CharSet;
}

export const setOf = (items: string, plain = items, rest: Partial<CharSet> = {}): CharSet => ({
  negated: false,
  items,
  plain,
  also: [],
  ...rest,
});

/** What needs a backslash (ECMA-262 §22.2.1): in a class, and outside of one. */
const IN_CLASS = new Set('^$\\.*+?()[]{}|/-');
const OUTSIDE = new Set('^$\\.*+?()[]{}|/');

/** A code point as ECMA-262 with the flag u reads it. */
export function charSource(code: number, inClass: boolean): string {
  if (code === 9) return '\\t';
  if (code === 10) return '\\n';
  if (code === 13) return '\\r';
  if (code < 32 || code === 0x7f || (code >= 0xd800 && code <= 0xdfff)) return `\\u{${code.toString(16)}}`;
  const c = String.fromCodePoint(code);
  return (inClass ? IN_CLASS : OUTSIDE).has(c) ? `\\${c}` : c;
}

const inverted = (set: CharSet, plain?: string): CharSet =>
  plain === undefined ? { ...set, negated: true } : setOf('', plain, { also: [{ ...set, negated: true }] });

const DIGIT = setOf('\\p{Nd}', '0-9');
const BLANK = setOf(' \\t\\n\\r', '\\s');
const FIRST = setOf(`:${NAME_START}`);
const NAME = setOf(`:${NAME_START}${NAME_CHARS}`);

/** Multi-character escapes (appendix F.1.1 [37]). Names are those of XML 1.0, fifth edition, which allows more than the second. */
const MULTI: Readonly<Record<string, CharSet>> = {
  d: DIGIT,
  D: setOf('\\P{Nd}', '\\D'),
  s: BLANK,
  S: inverted(BLANK, '\\S'),
  // All but punctuation, separators and others: letters, marks, numbers and symbols.
  w: setOf('\\p{L}\\p{M}\\p{N}\\p{S}'),
  W: setOf('\\p{P}\\p{Z}\\p{C}'),
  i: FIRST,
  I: inverted(FIRST),
  c: NAME,
  C: inverted(NAME),
};

export const multiEscape = (letter: string): CharSet | undefined =>
  Object.hasOwn(MULTI, letter) ? MULTI[letter] : undefined;

/** `.`: everything but the ends of a line. */
export const ANY = setOf('\\n\\r', '\\n\\r', { negated: true });

const CATEGORY = /^(?:L[ultmo]?|M[nce]?|N[dlo]?|P[cdseifo]?|Z[slp]?|S[mcko]?|C[cfon]?)$/;

/** `\p{…}` and `\P{…}` (appendix F.1.1 [27] to [36]): a general category, or Is and the name of a block. */
export function property(name: string, negated: boolean): CharSet | undefined {
  if (CATEGORY.test(name)) return setOf(`\\${negated ? 'P' : 'p'}{${name}}`);
  const block = name.startsWith('Is') ? blockNamed(name.slice(2)) : undefined;
  return block && setOf(block.map((code) => `\\u{${code.toString(16)}}`).join('-'), undefined, { negated });
}

/** Several sets as one. What is not negated and takes nothing away is put into one class. */
export function union(sets: readonly CharSet[], negated: boolean): CharSet {
  let items = '';
  let plain = '';
  const also: CharSet[] = [];
  for (const s of sets) {
    if (s.negated || s.minus || s.also.some((a) => a.minus)) also.push(s);
    else {
      items += s.items;
      plain += s.plain;
      also.push(...s.also);
    }
  }
  return { negated, items, plain, also };
}

/** An expression of ECMA-262 (flag u) for one character of the set. */
export function oneOf(set: CharSet, plain = false): string {
  const inside = plain ? set.plain : set.items;
  // What the plain form says already is not said again.
  const also = set.also.filter((a) => !plain || a.items !== BLANK.items).map((a) => oneOf(a, plain));
  let own = `[${set.negated ? '^' : ''}${inside}]`;
  if (also.length) {
    const all = `(?:${[...(inside ? [`[${inside}]`] : []), ...also].join('|')})`;
    own = set.negated ? `(?!${all})[^]` : all;
  }
  return set.minus ? `(?!${oneOf(set.minus, plain)})${own}` : own;
}
