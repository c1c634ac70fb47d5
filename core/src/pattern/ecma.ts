import { RegExpParser, type AST } from '@eslint-community/regexpp';
import { charSource, setOf } from './sets';
import type { Pattern } from './tree';

const LENGTH = 20_000;

/** A regular expression of ECMA-262 as a tree; undefined for one that is none, or beyond the bounds. */
export function parseExpression(source: string, flags: 'u' | ''): Pattern | undefined {
  if (source.length > LENGTH) return undefined;
  try {
    const parser = new RegExpParser({ ecmaVersion: 2024 });
    return choice(parser.parsePattern(source, 0, source.length, { unicode: flags === 'u' }).alternatives);
  } catch {
    // What the parser refuses, or what is nested too deep for it.
    return undefined;
  }
}

function choice(alternatives: readonly AST.Alternative[]): Pattern {
  const parts = alternatives.map((a): Pattern => {
    const elements = a.elements.map(element);
    return elements.length === 1 ? elements[0]! : { kind: 'sequence', parts: elements };
  });
  return parts.length === 1 ? parts[0]! : { kind: 'choice', parts };
}

function element(node: AST.Element): Pattern {
  switch (node.type) {
    case 'Group':
    case 'CapturingGroup':
      return choice(node.alternatives);
    case 'Quantifier':
      return { kind: 'repeat', of: element(node.element), min: node.min, max: node.max };
    case 'Character':
      return { kind: 'set', set: setOf(charSource(node.value, true)), code: node.value };
    case 'CharacterClass': {
      const inside = node.raw.slice(node.negate ? 2 : 1, -1);
      return { kind: 'set', set: setOf(inside, inside, { negated: node.negate }) };
    }
    case 'CharacterSet':
      return {
        kind: 'set',
        set:
          node.kind === 'any'
            ? setOf('\\n\\r\\u2028\\u2029', '\\n\\r\\u2028\\u2029', { negated: true })
            : setOf(node.raw),
      };
    case 'Assertion':
      if (node.kind === 'lookahead' || node.kind === 'lookbehind')
        return { kind: 'beyond', of: choice(node.alternatives) };
      return node.kind === 'word' ? { kind: 'beyond' } : { kind: 'edge', at: node.kind };
    case 'Backreference':
      return { kind: 'beyond', again: true };
    default:
      // Classes of strings need the flag v, which no one asks for here.
      throw new Error(`${node.type} is not read`);
  }
}
