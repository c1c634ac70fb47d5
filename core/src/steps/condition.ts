import { z } from 'zod';
import type { Run } from '../flow/run';
import { isNumber } from '../message/digits';
import { finding, type Finding } from '../problem';
import { expressionMatcher } from '../pattern';
import { checkExpression, readsBody, runnable } from './expression';
import type { MessageType, StepContext } from './kind';

/** How a value is compared. Words stand in editors and messages. */
export const OPERATORS = {
  equals: 'is',
  differs: 'is not',
  oneOf: 'is one of',
  contains: 'contains',
  startsWith: 'begins with',
  endsWith: 'ends with',
  matches: 'matches the pattern',
  lessThan: 'is less than',
  atMost: 'is at most',
  moreThan: 'is more than',
  atLeast: 'is at least',
  exists: 'is there',
  missing: 'is missing',
} as const;
export type Operator = keyof typeof OPERATORS;

const row = z.strictObject({
  of: z.string().min(1).max(20_000).describe('What is looked at, e.g. query.kind or headers.`x-office`; JSONata'),
  is: z.enum(Object.keys(OPERATORS) as [Operator, ...Operator[]]),
  value: z.unknown().optional().describe('What it is compared with; a list for oneOf, nothing for exists and missing'),
});
const one = z.union([z.string().min(1).max(20_000).describe('JSONata; holds when it is true'), row]);
export const conditionSchema = z
  .union([one, z.array(one).min(1).max(50)])
  .describe('A condition, or several that must all hold');
export type Condition = z.infer<typeof conditionSchema>;
export type ConditionRow = z.infer<typeof row>;

export interface CompiledCondition {
  readonly readsBody: boolean;
  holds(run: Run): boolean | Promise<boolean>;
}

const list = (c: Condition) => (Array.isArray(c) ? c : [c]);

/** Compiles to a test. An empty value (nothing there) only passes `missing` and `differs`. */
export function compileCondition(condition: Condition): CompiledCondition {
  const rows = list(condition).map((c) => {
    const e = runnable(typeof c === 'string' ? c : c.of);
    return { e, test: typeof c === 'string' ? truth : comparer(c.is, c.value) };
  });
  return {
    readsBody: rows.some((r) => readsBody(r.e)),
    async holds(run) {
      for (const { e, test } of rows) {
        let v = e.evaluate(run.scope);
        if (v instanceof Promise) v = await v;
        if (!test(v)) return false;
      }
      return true;
    },
  };
}

/** JSONata's own idea of truth ($boolean): empty text, 0, empty lists and objects are false. */
function truth(v: unknown): boolean {
  if (Array.isArray(v)) return v.some(truth);
  if (isNumber(v)) return Number(v) !== 0;
  if (v !== null && typeof v === 'object') return Object.keys(v).length > 0;
  return Boolean(v);
}

function comparer(is: Operator, value: unknown): (v: unknown) => boolean {
  const text = plain(value);
  switch (is) {
    case 'exists':
      return (v) => v !== undefined && v !== null;
    case 'missing':
      return (v) => v === undefined || v === null;
    case 'equals':
      return (v) => same(v, value);
    case 'differs':
      return (v) => !same(v, value);
    case 'oneOf': {
      const values = Array.isArray(value) ? value : [value];
      return (v) => values.some((x) => same(v, x));
    }
    case 'contains':
      return (v) => (Array.isArray(v) ? v.some((x) => same(x, value)) : v !== undefined && plain(v).includes(text));
    case 'startsWith':
      return (v) => v !== undefined && plain(v).startsWith(text);
    case 'endsWith':
      return (v) => v !== undefined && plain(v).endsWith(text);
    case 'matches': {
      const matches = expressionMatcher(text);
      return (v) => v !== undefined && matches?.(plain(v)) === 'match';
    }
    default:
      return ordered(is, value);
  }
}

const plain = (v: unknown): string =>
  typeof v === 'string' ? v : v === undefined || v === null ? '' : isNumber(v) ? String(v) : JSON.stringify(v);

/** Header and query values are text: compared with a number they count as one. */
function same(v: unknown, value: unknown): boolean {
  if (v === undefined || v === null) return value === null && v === null;
  if (isNumber(v) || isNumber(value)) return numberOf(v) === numberOf(value);
  return plain(v) === plain(value);
}

function numberOf(v: unknown): number {
  if (isNumber(v)) return Number(v);
  return typeof v === 'string' && v.trim() !== '' ? Number(v) : NaN;
}

function ordered(is: Operator, value: unknown): (v: unknown) => boolean {
  const by = (c: number) =>
    is === 'lessThan' ? c < 0 : is === 'atMost' ? c <= 0 : is === 'moreThan' ? c > 0 : is === 'atLeast' && c >= 0;
  return (v) => {
    const c = compare(v, value);
    return c !== undefined && by(c);
  };
}

/** Numbers by value, moments (ISO 8601 with offset) by time, other text by its characters. */
function compare(a: unknown, b: unknown): number | undefined {
  if (a === undefined || a === null || b === undefined || b === null) return undefined;
  const [x, y] = [numberOf(a), numberOf(b)];
  if (!Number.isNaN(x) && !Number.isNaN(y)) return x - y;
  if (isNumber(a) || isNumber(b)) return undefined;
  const [s, t] = [plain(a), plain(b)];
  if (MOMENT.test(s) && MOMENT.test(t)) return Date.parse(s) - Date.parse(t);
  return s < t ? -1 : s > t ? 1 : 0;
}
const MOMENT = /^\d{4}-\d\d-\d\dT.*(Z|[+-]\d\d:\d\d)$/;

/** Findings of a condition: mistakes in its expressions and patterns, values that are missing. */
export function checkCondition(
  condition: Condition,
  context: StepContext,
  pointer: string,
  before: MessageType,
  report: (f: Finding) => void,
): void {
  list(condition).forEach((c, i) => {
    const at = Array.isArray(condition) ? `${pointer}/${i}` : pointer;
    if (typeof c === 'string') {
      checkExpression(c, context, at, before, report);
      return;
    }
    checkExpression(c.of, context, `${at}/of`, before, report);
    const place = { ...context.place, pointer: `${context.place.pointer ?? ''}${at}/value` };
    if (c.value === undefined && c.is !== 'exists' && c.is !== 'missing')
      report(finding('HNG-304', `the condition ${conditionWords(c)} compares with nothing`, place, 'Give a value.'));
    if (c.is === 'matches' && !expressionMatcher(plain(c.value)))
      report(finding('HNG-304', `"${plain(c.value)}" is no pattern`, place, 'Write a regular expression (ECMA-262).'));
  });
}

/** A condition in one line of words. */
export function conditionWords(condition: Condition): string {
  return list(condition)
    .map((c) =>
      typeof c === 'string'
        ? c
        : `${c.of} ${OPERATORS[c.is]}${c.value === undefined ? '' : ` ${Array.isArray(c.value) ? c.value.map(plain).join(', ') : plain(c.value)}`}`,
    )
    .join(' and ');
}
