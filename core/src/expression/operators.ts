import { Digits, lower } from '../message/digits';
import { LIMITS } from '../limits';
import { charge, tick, weigh } from './budget';
import { ExpressionError } from './error';
import { Fn, makeSequence } from './values';

export { ExpressionError };

/** JSONata's operators on values, as its own evaluator defines them; `Digits` count as the number they write. */
export const plain = (v: unknown): unknown => (v instanceof Digits ? Number(v.text) : v);

export function numeric(v: unknown): v is number {
  if (typeof v !== 'number' || Number.isNaN(v)) return false;
  if (!Number.isFinite(v)) throw new ExpressionError('D1001', `Number out of range: ${v}`);
  return true;
}

export function arithmetic(op: string, left: unknown, right: unknown, position?: number): unknown {
  if (typeof left === 'number' && typeof right === 'number' && Number.isFinite(left) && Number.isFinite(right))
    return calculate(op, left, right);
  const l = plain(left);
  const r = plain(right);
  if (l !== undefined && !numeric(l))
    throw new ExpressionError('T2001', `The left side of the ${op} operator must evaluate to a number`, position);
  if (r !== undefined && !numeric(r))
    throw new ExpressionError('T2002', `The right side of the ${op} operator must evaluate to a number`, position);
  if (l === undefined || r === undefined) return undefined;
  return calculate(op, l, r);
}

function calculate(op: string, l: number, r: number): number {
  switch (op) {
    case '+':
      return l + r;
    case '-':
      return l - r;
    case '*':
      return l * r;
    case '/':
      return l / r;
    default:
      return l % r;
  }
}

export function compare(op: string, left: unknown, right: unknown, position?: number): boolean | undefined {
  if (typeof left === typeof right && (typeof left === 'number' || typeof left === 'string'))
    return ordered(op, left as string, right as string);
  const l = plain(left);
  const r = plain(right);
  const comparable = (v: unknown) => v === undefined || typeof v === 'string' || typeof v === 'number';
  if (!comparable(l) || !comparable(r))
    throw new ExpressionError(
      'T2010',
      `The expressions on either side of operator ${op} must evaluate to numeric or string values`,
      position,
    );
  if (l === undefined || r === undefined) return undefined;
  if (typeof l !== typeof r)
    throw new ExpressionError(
      'T2009',
      `The values on either side of operator ${op} must be of the same data type`,
      position,
    );
  return ordered(op, l as string, r as string);
}

function ordered(op: string, a: string, b: string): boolean {
  switch (op) {
    case '<':
      return a < b;
    case '<=':
      return a <= b;
    case '>':
      return a > b;
    default:
      return a >= b;
  }
}

export function equal(left: unknown, right: unknown): boolean {
  if (left === right) return true;
  tick();
  if (typeof left !== 'object' && typeof right !== 'object') return false;
  const l = plain(left);
  const r = plain(right);
  if (l === r) return true;
  if (typeof l !== 'object' || typeof r !== 'object' || l === null || r === null) return false;
  if (Array.isArray(l) && Array.isArray(r)) return l.length === r.length && l.every((v, i) => equal(v, r[i]));
  const lo = l as Record<string, unknown>;
  const ro = r as Record<string, unknown>;
  const keys = Object.keys(lo);
  return keys.length === Object.keys(ro).length && keys.every((k) => equal(lo[k], ro[k]));
}

export function truth(value: unknown): boolean {
  if (value === true) return true;
  if (value === false || value === undefined || value === null) return false;
  const v = plain(value);
  if (Array.isArray(v)) return v.length === 1 ? truth(v[0]) : (v as unknown[]).some((x) => truth(x));
  if (typeof v === 'string') return v.length > 0;
  if (typeof v === 'number') return numeric(v) && v !== 0;
  if (v instanceof Fn) return false;
  if (v !== null && typeof v === 'object') return Object.keys(v).length > 0;
  return v === true;
}

/** $string: digits stay as written; other numbers to 15 significant digits, as the library does. */
export function asString(value: unknown): string {
  if (value === undefined) return '';
  if (typeof value === 'string') return value;
  if (value instanceof Digits) return value.text;
  if (value instanceof Fn) return '';
  if (typeof value === 'number') {
    if (!Number.isFinite(value))
      throw new ExpressionError('D3001', 'Attempting to invoke string function on Infinity or NaN');
    return String(Number.isInteger(value) ? value : Number(value.toPrecision(15)));
  }
  return stringified(value, 0);
}

/** JSON as $string writes it; `indent` 2 lays it out. */
export function stringified(value: unknown, indent: number): string {
  charge(weigh(value, LIMITS.replyBytes));
  return JSON.stringify(
    lower(value),
    (_key, v: unknown) =>
      v instanceof Fn ? '' : typeof v === 'number' && !Number.isInteger(v) ? Number(v.toPrecision(15)) : v,
    indent,
  );
}

/** fn.append of the library: values and arrays flow together. */
export function append(left: unknown, right: unknown): unknown {
  if (left === undefined) return right;
  if (right === undefined) return left;
  const l: unknown[] = Array.isArray(left) ? left : [left];
  const r: unknown[] = Array.isArray(right) ? (right as unknown[]) : [right];
  // Copying costs time for both; what grows is the smaller one again and again, or doubles.
  charge(8 * Math.min(l.length, r.length));
  tick((l.length + r.length) >> 5);
  return ([] as unknown[]).concat(l, r);
}

/** The names that an expression sees at its root, each read when it is asked for. */
export interface Names {
  readonly isNames: true;
  readonly names: readonly string[];
  read(name: string): unknown;
}

export const isNames = (v: unknown): v is Names => v !== null && typeof v === 'object' && (v as Names).isNames === true;

/** One step of a path: the name looked up in the value, arrays on the way flattened. */
export function lookup(input: unknown, key: string): unknown {
  if (Array.isArray(input)) {
    const out = makeSequence();
    for (const item of input) {
      const v = lookup(item, key);
      if (v === undefined) continue;
      if (Array.isArray(v)) for (const x of v) out.push(x);
      else out.push(v);
    }
    return out;
  }
  if (input === null || typeof input !== 'object') return undefined;
  const v = (input as Record<string, unknown>)[key];
  if (v === undefined) return isNames(input) ? input.read(key) : undefined;
  // What every object has by nature is no member, and neither is what we keep of a number.
  if (key in Object.prototype && !Object.hasOwn(input, key)) return undefined;
  if (input instanceof Digits || isNames(input)) return isNames(input) ? input.read(key) : undefined;
  return v;
}
