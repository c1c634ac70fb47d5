import { Automaton } from './automaton';
import { inTime, OutOfTime } from './bounded';
import { parseExpression } from './ecma';
import { quickRegExp } from './print';
import {
  endsWithLoop,
  isAnchored,
  isRegular,
  longLoops,
  mayExplode,
  PatternError,
  type Matcher,
  type Pattern,
  type Verdict,
} from './tree';
import { parsePattern } from './xsd';

/**
 * Matches whole texts, as patterns of XML Schema do (Part 2 §4.3.4). Throws PatternError. An engine that turns back does it where that
 * costs no more than the text is long, else an automaton.
 */
export function patternMatcher(source: string): Matcher {
  const pattern = parsePattern(source);
  const quick = quickRegExp(pattern);
  if (quick) return (text) => natively(quick, text, false);
  const automaton = new Automaton(pattern);
  return (text) => automaton.test(text);
}

/** Why a pattern of XML Schema cannot be held, where it cannot. */
export function patternFault(source: string): PatternError | undefined {
  try {
    patternMatcher(source);
    return undefined;
  } catch (error) {
    if (error instanceof PatternError) return error;
    throw error;
  }
}

function natively(expression: RegExp, text: string, bounded: boolean): Verdict {
  try {
    return (bounded ? inTime(() => expression.test(text)) : expression.test(text)) ? 'match' : 'mismatch';
  } catch (error) {
    // An engine that turns back keeps a note for each round of a repeated group, and has room for so many.
    if (error instanceof RangeError || error instanceof OutOfTime) return 'unknown';
    throw error;
  }
}

const ANYTHING: Pattern = {
  kind: 'repeat',
  of: { kind: 'set', set: { negated: true, items: '', plain: '', also: [] } },
  min: 0,
  max: Infinity,
};

const made = new Map<string, Matcher | undefined>();

/**
 * Searches a text for a regular expression of ECMA-262, as `pattern` of JSON Schema does (Validation §6.3.3): with the flag u, or without
 * where it is none with it. Undefined for what is no regular expression at all. What a caller sends never keeps it busy: see `costOf`.
 */
export function expressionMatcher(source: string): Matcher | undefined {
  if (made.has(source)) return made.get(source);
  const matcher = makeMatcher(source);
  if (made.size >= 1_000) made.clear();
  made.set(source, matcher);
  return matcher;
}

function makeMatcher(source: string): Matcher | undefined {
  const flags = (['u', ''] as const).find((f) => isExpression(source, f));
  if (flags === undefined) return undefined;
  const expression = new RegExp(source, flags);
  const pattern = parseExpression(source, flags);
  const cost = costOf(expression, pattern);
  if (cost(Infinity) === 'low') return (text) => natively(expression, text, false);
  if (pattern && isRegular(pattern)) {
    try {
      const automaton = new Automaton(
        isAnchored(pattern) ? pattern : { kind: 'sequence', parts: [ANYTHING, pattern] },
        flags,
      );
      return (text) => automaton.test(text, true);
    } catch (error) {
      if (!(error instanceof PatternError)) throw error;
    }
  }
  return (text) => natively(expression, text, cost(text.length) !== 'low');
}

function isExpression(source: string, flags: string): boolean {
  try {
    // It is read whole at its first use only, and may turn out to be too deep.
    new RegExp(source, flags).test('');
    return true;
  } catch {
    return false;
  }
}

/** Steps of an engine that turns back that are no matter: some milliseconds. */
const STEPS = 1_000_000;

/**
 * What looking for an expression can cost in a text of so many characters: exponential where a repetition stands in another, a power of the
 * length where several follow each other, or where it may begin anywhere.
 */
export function costOf(expression: RegExp, pattern = patternOf(expression)): (length: number) => 'low' | 'high' {
  if (!pattern || mayExplode(pattern)) return (length) => (length <= 16 ? 'low' : 'high');
  const loops = longLoops(pattern);
  const anywhere = expression.multiline || !isAnchored(pattern);
  const power = loops + (anywhere && loops > 0 && !(loops === 1 && endsWithLoop(pattern)) ? 1 : 0);
  if (power <= 1) return () => 'low';
  return (length) => (length ** power <= STEPS ? 'low' : 'high');
}

const patternOf = (expression: RegExp): Pattern | undefined =>
  parseExpression(expression.source, expression.unicode ? 'u' : '');
