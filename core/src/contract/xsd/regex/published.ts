import { parsePattern, PatternError, type Pattern } from './parse';
import { charSource, oneOf } from './sets';

const LENGTH = 500;

/**
 * A pattern of XML Schema as the `pattern` of a schema that we publish: ECMA-262 with the flag u, in the plainest form. Undefined for one
 * that is no pattern, is longer than others would bear, or that keeps an engine busy that turns back.
 */
export function patternToRegExp(source: string): string | undefined {
  if (source.length > LENGTH) return undefined;
  try {
    const pattern = parsePattern(source);
    if (mayExplode(pattern)) return undefined;
    const made = `^(?:${print(pattern)})$`;
    return made.length > 4 * LENGTH ? undefined : made;
  } catch (error) {
    if (error instanceof PatternError) return undefined;
    throw error;
  }
}

/** Whether a repetition, or a choice, stands within a repetition: a backtracking engine may then need exponential time. */
export function mayExplode(p: Pattern, repeated = false): boolean {
  switch (p.kind) {
    case 'set':
      return false;
    case 'sequence':
      return p.parts.some((part) => mayExplode(part, repeated));
    case 'choice':
      return repeated || p.parts.some((part) => mayExplode(part));
    case 'repeat':
      if (p.max <= 1) return mayExplode(p.of, repeated);
      return (repeated && p.max !== p.min) || mayExplode(p.of, true);
  }
}

/** Repetitions that may differ by a hundred times or more: two of them can cost the square of the text. */
function longLoops(p: Pattern): number {
  if (p.kind === 'set') return 0;
  if (p.kind === 'repeat') return longLoops(p.of) + (p.max - p.min >= 100 ? 1 : 0);
  return p.parts.reduce((n, part) => n + longLoops(part), 0);
}

/** As an expression that judges exactly, where turning back costs no more than the text is long. */
export function quickRegExp(p: Pattern): RegExp | undefined {
  return mayExplode(p) || longLoops(p) > 1 ? undefined : new RegExp(`^(?:${print(p, false)})$`, 'u');
}

function print(p: Pattern, plain = true): string {
  switch (p.kind) {
    case 'set':
      return p.code !== undefined ? charSource(p.code, false) : oneSet(oneOf(p.set, plain), plain);
    case 'sequence':
      return p.parts
        .map((part) => (part.kind === 'choice' ? `(?:${print(part, plain)})` : print(part, plain)))
        .join('');
    case 'choice':
      return p.parts.map((part) => print(part, plain)).join('|');
    case 'repeat': {
      const inner = print(p.of, plain);
      const of = p.of.kind === 'set' && !inner.startsWith('(?!') ? inner : `(?:${inner})`;
      if (p.max === Infinity) return of + (p.min === 0 ? '*' : p.min === 1 ? '+' : `{${p.min},}`);
      if (p.min === 0 && p.max === 1) return `${of}?`;
      return p.min === p.max ? `${of}{${p.min}}` : `${of}{${p.min},${p.max}}`;
    }
  }
}

/** An escape that stands alone needs no class around it. */
function oneSet(made: string, plain: boolean): string {
  if (/^\[\\[DsS]\]$/.test(made)) return made.slice(1, -1);
  return plain && made === '[^\\n\\r]' ? '.' : made;
}
