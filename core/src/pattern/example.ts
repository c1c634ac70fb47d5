import { parseExpression } from './ecma';
import { oneOf, type CharSet } from './sets';
import type { Pattern } from './tree';

/** Texts to choose one character from where a class does not begin with one. */
const CHOICE = [...'aA10 -_.,:;/@#+*=&%$!?"\'()[]{}<>|~^`\\éßαЖ٣漢😀\t\n'];
const LONGEST = 1_000;

/**
 * A text that a regular expression of ECMA-262 allows, the same every time: the first of each choice, each repetition as often as `wish`
 * says within its bounds. Undefined where it looks around or back, or none of the usual characters will do.
 */
export function exampleOf(source: string, wish = 1): string | undefined {
  const pattern = parseExpression(source, 'u') ?? parseExpression(source, '');
  const text = pattern && example(pattern, wish);
  return text !== undefined && text.length <= LONGEST ? text : undefined;
}

function example(p: Pattern, wish: number): string | undefined {
  switch (p.kind) {
    case 'edge':
      return '';
    case 'beyond':
      return undefined;
    case 'set':
      return p.code === undefined ? memberOf(p.set) : String.fromCodePoint(p.code);
    case 'choice':
      for (const part of p.parts) {
        const text = example(part, wish);
        if (text !== undefined) return text;
      }
      return undefined;
    case 'sequence': {
      let out = '';
      for (const part of p.parts) {
        const text = example(part, wish);
        if (text === undefined || out.length > LONGEST) return undefined;
        out += text;
      }
      return out;
    }
    case 'repeat': {
      // What may be left out is.
      const times = p.max === 1 ? p.min : Math.min(Math.max(p.min, wish), p.max, LONGEST);
      return times === 0 ? '' : example(p.of, wish)?.repeat(times);
    }
  }
}

function memberOf(set: CharSet): string | undefined {
  const first = /^[^\\^\][]/u.exec(set.items)?.[0];
  const member = new RegExp(`^${oneOf(set)}$`, 'u');
  return [...(first && !set.negated ? [first] : []), ...CHOICE].find((c) => member.test(c));
}
