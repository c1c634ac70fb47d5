import { insteadOf } from '../nearest';
import type { Node } from './ast';
import { slots } from './signature';

/**
 * Signatures of JSONata's functions, as its library has them (a test compares): s text, n number, b boolean, a list, o object, f function,
 * x anything, j JSON; `-` takes the context when it is not given, `?` may be left out, `+` may come more than once.
 */
export const FUNCTION_SIGNATURES: Readonly<Record<string, string>> = {
  abs: 'n-',
  append: 'xx',
  assert: 'bs?',
  average: 'a<n>',
  base64decode: 's-',
  base64encode: 's-',
  boolean: 'x-',
  ceil: 'n-',
  clone: '(oa)-',
  contains: 's-(sf)',
  count: 'a',
  decodeUrl: 's-',
  decodeUrlComponent: 's-',
  distinct: 'x',
  each: 'o-f',
  encodeUrl: 's-',
  encodeUrlComponent: 's-',
  error: 's?',
  eval: 'sx?',
  exists: 'x',
  filter: 'af',
  floor: 'n-',
  formatBase: 'n-n?',
  formatInteger: 'n-s',
  formatNumber: 'n-so?',
  fromMillis: 'n-s?s?',
  join: 'a<s>s?',
  keys: 'x-',
  length: 's-',
  lookup: 'x-s',
  lowercase: 's-',
  map: 'af',
  match: 's-fn?',
  max: 'a<n>',
  merge: 'a<o>',
  millis: '',
  min: 'a<n>',
  not: 'x-',
  now: 's?s?',
  number: '(nsb)-',
  pad: 's-ns?',
  parseInteger: 's-s',
  power: 'n-n',
  random: '',
  reduce: 'afj?',
  replace: 's-(sf)(sf)n?',
  reverse: 'a',
  round: 'n-n?',
  shuffle: 'a',
  sift: 'o-f?',
  single: 'af?',
  sort: 'af?',
  split: 's-(sf)n?',
  spread: 'x-',
  sqrt: 'n-',
  string: 'x-b?',
  substring: 's-nn?',
  substringAfter: 's-s',
  substringBefore: 's-s',
  sum: 'a<n>',
  toMillis: 's-s?',
  trim: 's-',
  type: 'x',
  uppercase: 's-',
  zip: 'a+',
};

/** Fewest and most arguments that a function of JSONata takes; undefined where there is no such function. */
export function argumentsOf(name: string): { readonly least: number; readonly most: number } | undefined {
  if (!Object.hasOwn(FUNCTION_SIGNATURES, name)) return undefined;
  const signature = FUNCTION_SIGNATURES[name]!;
  const all = slots(signature);
  const least = all.filter((s) => !s.optional && !s.context).length;
  return { least, most: signature.endsWith('+') ? Infinity : all.length };
}

export interface ExpressionMistake {
  readonly words: string;
  readonly remedy: string;
  readonly position?: number;
}

/** What can be known to go wrong before anything runs: functions and variables that nobody defines, and wrong numbers of arguments. */
export function mistakesOf(ast: Node): ExpressionMistake[] {
  const bound = new Set<string>();
  walk(ast, (n) => {
    if (n.type === 'bind') bound.add(String((n.lhs as Node).value));
    if (n.type === 'lambda') for (const a of n.arguments ?? []) bound.add(String(a.value));
    for (const name of [n.focus, n.index]) if (typeof name === 'string') bound.add(name);
  });
  const out: ExpressionMistake[] = [];
  const called = new Set<unknown>();
  const names = [...Object.keys(FUNCTION_SIGNATURES), ...bound];
  const check = (n: Node, given: number | undefined): void => {
    const { procedure } = n;
    if (procedure?.type !== 'variable') return;
    called.add(procedure);
    const name = String(procedure.value);
    if (name === '' || name === '$' || bound.has(name)) return;
    const takes = argumentsOf(name);
    const at = { position: startOf(procedure) };
    if (!takes) {
      const remedy = insteadOf(
        `$${name}`,
        names.map((k) => `$${k}`),
      );
      out.push({ ...at, words: `there is no function $${name}`, remedy });
    } else if (given !== undefined && (given < takes.least || given > takes.most))
      out.push({
        ...at,
        words: `$${name} takes ${takesWords(takes)}, and gets ${given}`,
        remedy: 'Give as many as it takes.',
      });
  };
  const behindArrow = new Set<Node>();
  walk(ast, (n) => {
    if (n.type === 'apply' && n.rhs?.type === 'function') {
      behindArrow.add(n.rhs);
      check(n.rhs, (n.rhs.arguments?.length ?? 0) + 1);
    }
  });
  walk(ast, (n) => {
    if (n.type === 'partial') check(n, undefined);
    else if (n.type === 'function' && !behindArrow.has(n)) check(n, n.arguments?.length ?? 0);
  });
  walk(ast, (n) => {
    if (n.type !== 'variable' || called.has(n) || n.value === '' || n.value === '$') return;
    const name = String(n.value);
    if (!bound.has(name) && !Object.hasOwn(FUNCTION_SIGNATURES, name))
      out.push({
        words: `there is no variable $${name}`,
        remedy: insteadOf(
          `$${name}`,
          [...bound].map((b) => `$${b}`),
          'Bind it in front with :=.',
        ),
        position: startOf(n),
      });
  });
  return out;
}

/** The library's positions count the characters up to and with a name. */
const startOf = (variable: Node): number => Math.max(0, (variable.position ?? 0) - String(variable.value).length - 1);

function takesWords({ least, most }: { least: number; most: number }): string {
  if (most === 0) return 'no argument';
  if (most === Infinity) return `${least} arguments or more`;
  const range = least === most ? String(most) : `${least} to ${most}`;
  return `${range} argument${most === 1 ? '' : 's'}`;
}

function walk(node: unknown, visit: (n: Node) => void): void {
  if (node === null || typeof node !== 'object') return;
  if (Array.isArray(node)) {
    for (const n of node) walk(n, visit);
    return;
  }
  if (typeof (node as Node).type === 'string') visit(node as Node);
  for (const value of Object.values(node)) walk(value, visit);
}
