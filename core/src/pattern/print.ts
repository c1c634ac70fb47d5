import { charSource, oneOf } from './sets';
import { longLoops, mayExplode, PatternError, type Pattern } from './tree';
import { parsePattern } from './xsd';

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

/** As an expression that judges exactly, where turning back costs no more than the text is long. */
export function quickRegExp(p: Pattern): RegExp | undefined {
  return mayExplode(p) || longLoops(p) > 1 ? undefined : new RegExp(`^(?:${print(p, false)})$`, 'u');
}

function print(p: Pattern, plain = true): string {
  switch (p.kind) {
    case 'edge':
    case 'beyond':
      throw new Error(`a pattern of XML Schema has no ${p.kind}`);
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
