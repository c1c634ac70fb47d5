import { round, toNumber } from './number-functions';
import { prepare, slots, typeLetter, type Builtin } from './signature';
import { chars, failed, hasWide, pad, type Pattern, replace, split, substring, urlCoded } from './text-functions';
import { setMember } from '../message/objects';
import { distinct, extreme, isObject, join, keysOf, merged, sort, spread, total } from './list-functions';
import { append, asString, lookup, stringified, truth } from './operators';
import { charge } from './budget';
import { Fn, makeSequence, tick } from './values';

/** Arguments for a function that a higher-order one calls: value, index and list, as many as it takes. */
export function callBack(f: Fn, values: readonly [unknown, unknown, unknown], input: unknown): unknown {
  tick();
  return f.call(values.slice(0, Math.max(1, Math.min(3, f.arity))), input);
}

/** Arguments that are nothing make the result nothing; what else happens is the function's own. */
const known =
  (run: Builtin['run']): Builtin['run'] =>
  (args, input) =>
    args[0] === undefined ? undefined : run(args, input);

const define = (signature: string, arity: number, run: Builtin['run'], more: Partial<Builtin> = {}): Builtin => ({
  signature: slots(signature),
  required: slots(signature).filter((s) => !s.optional).length,
  arity,
  run,
  ...more,
});

const BUILTINS: Readonly<Record<string, Builtin>> = {
  sum: define(
    'a<n>',
    1,
    known(([l]) => total(l)),
  ),
  count: define('a', 1, ([l]) => (l === undefined ? 0 : l.length)),
  max: define(
    'a<n>',
    1,
    known(([l]) => extreme(l, (a, b) => a > b)),
  ),
  min: define(
    'a<n>',
    1,
    known(([l]) => extreme(l, (a, b) => a < b)),
  ),
  average: define(
    'a<n>',
    1,
    known(([l]) => (l.length ? total(l) / l.length : undefined)),
  ),
  string: define(
    'x-b?',
    1,
    known(([v, pretty]) => (pretty && typeof v === 'object' ? stringified(v, 2) : asString(v))),
  ),
  substring: define(
    's-nn?',
    3,
    known(([s, a, b]) => substring(s, a, b)),
  ),
  substringBefore: define(
    's-s',
    2,
    known(([s, c]) => (s.includes(c) ? s.slice(0, s.indexOf(c)) : s)),
  ),
  substringAfter: define(
    's-s',
    2,
    known(([s, c]) => (s.includes(c) ? s.slice(s.indexOf(c) + c.length) : s)),
  ),
  lowercase: define(
    's-',
    1,
    known(([s]) => s.toLowerCase()),
  ),
  uppercase: define(
    's-',
    1,
    known(([s]) => s.toUpperCase()),
  ),
  length: define(
    's-',
    1,
    known(([s]) => (hasWide(s) ? chars(s).length : s.length)),
  ),
  trim: define(
    's-',
    1,
    known(([s]) => s.replace(/[ \t\n\r]+/g, ' ').replace(/^ | $/g, '')),
  ),
  pad: define(
    's-ns?',
    3,
    known(([s, w, c]) => pad(s, w, c)),
  ),
  contains: define('s-(sf)', 2, ([s, t]) =>
    s === undefined || t === undefined
      ? undefined
      : typeof t === 'string'
        ? s.includes(t)
        : [...(t as Pattern).all(s)].length > 0,
  ),
  match: define(
    's-fn?',
    3,
    known(([s, p, n]) => {
      if (n < 0) failed('D3040', 'the limit of $match cannot be negative');
      const out = makeSequence();
      if (n === 0) return out;
      for (const m of (p as Pattern).all(s)) {
        out.push({ match: m.match, index: m.start, groups: m.groups });
        if (n !== undefined && out.length >= n) break;
      }
      return out;
    }),
  ),
  replace: define(
    's-(sf)(sf)n?',
    4,
    known(([s, p, r, n], input) => replace(s, p, r, n, input)),
  ),
  split: define(
    's-(sf)n?',
    3,
    known(([s, p, n]) => split(s, p, n)),
  ),
  join: define(
    'a<s>s?',
    2,
    known(([l, s]) => join(l, s ?? '')),
  ),
  number: define(
    '(nsb)-',
    1,
    known(([v]) => toNumber(v)),
  ),
  floor: define(
    'n-',
    1,
    known(([n]) => Math.floor(n)),
  ),
  ceil: define(
    'n-',
    1,
    known(([n]) => Math.ceil(n)),
  ),
  round: define(
    'n-n?',
    2,
    known(([n, p]) => round(n, p)),
  ),
  abs: define(
    'n-',
    1,
    known(([n]) => Math.abs(n)),
  ),
  sqrt: define(
    'n-',
    1,
    known(([n]) => (n < 0 ? failed('D3060', 'a negative number has no square root') : Math.sqrt(n))),
  ),
  power: define(
    'n-n',
    2,
    known(([n, e]) => {
      const result = Math.pow(n, e);
      return Number.isFinite(result) ? result : failed('D3061', 'the power is out of range');
    }),
  ),
  boolean: define(
    'x-',
    1,
    known(([v]) => truth(v)),
  ),
  not: define(
    'x-',
    1,
    known(([v]) => !truth(v)),
  ),
  map: define(
    'af',
    2,
    known(([l, f], input) => {
      const out = makeSequence();
      l.forEach((v: unknown, i: number) => {
        const r = callBack(f, [v, i, l], input);
        if (r !== undefined) out.push(r);
      });
      return out;
    }),
  ),
  filter: define(
    'af',
    2,
    known(([l, f], input) => {
      const out = makeSequence();
      l.forEach((v: unknown, i: number) => {
        if (truth(callBack(f, [v, i, l], input))) out.push(v);
      });
      return out;
    }),
  ),
  single: define(
    'af?',
    2,
    known(([l, f], input) => {
      const found = (l as unknown[]).filter((v, i) => f === undefined || truth(callBack(f, [v, i, l], input)));
      if (found.length > 1) failed('D3138', '$single found more than one');
      return found.length ? found[0] : failed('D3139', '$single found none');
    }),
  ),
  zip: define(
    'a',
    0,
    (args) => {
      const n = Math.min(...args.map((a) => (Array.isArray(a) ? a.length : 0)));
      return Array.from({ length: n }, (_, i) => {
        charge(8 * args.length);
        return args.map((a: unknown[]) => a[i]);
      });
    },
    { rest: true },
  ),
  reduce: define(
    'afj?',
    3,
    known(([l, f, init], input) => {
      if (f.arity < 2) failed('D3050', 'the function of $reduce must take two arguments');
      const from = init === undefined && l.length > 0 ? 1 : 0;
      let result: unknown = from ? l[0] : init;
      for (let i = from; i < l.length; i++) {
        tick();
        result = f.call([result, l[i], i, l].slice(0, Math.max(2, Math.min(4, f.arity))), input);
      }
      return result;
    }),
  ),
  sift: define(
    'o-f?',
    2,
    known(([o, f], input) => {
      const out: Record<string, unknown> = {};
      for (const k of Object.keys(o)) if (truth(callBack(f, [o[k], k, o], input))) setMember(out, k, o[k]);
      return Object.keys(out).length ? out : undefined;
    }),
  ),
  each: define('o-f', 2, ([o, f], input) => {
    const out = makeSequence();
    for (const k of Object.keys(o ?? {})) {
      const r = callBack(f, [o[k], k, o], input);
      if (r !== undefined) out.push(r);
    }
    return out;
  }),
  keys: define('x-', 1, ([v]) => keysOf(v)),
  lookup: define('x-s', 2, ([o, k]) => {
    if (!Array.isArray(o)) return isObject(o) ? lookup(o, k) : undefined;
    const out = makeSequence();
    for (const item of o as unknown[]) {
      const v = lookup(item, k);
      tick();
      if (Array.isArray(v)) for (const x of v as unknown[]) out.push(x);
      else if (v !== undefined) out.push(v);
    }
    return out;
  }),
  append: define('xx', 2, ([a, b]) => append(a, b)),
  exists: define('x', 1, ([v]) => v !== undefined),
  spread: define('x-', 1, ([v]) => spread(v)),
  merge: define(
    'a<o>',
    1,
    known(([l]) => merged(l)),
  ),
  reverse: define(
    'a',
    1,
    known(([l]) => (l.length <= 1 ? l : [...l].reverse())),
  ),
  error: define('s?', 1, ([s]) => failed('D3137', s ?? '$error() function evaluated')),
  assert: define('bs?', 2, ([b, s]) => (b ? undefined : failed('D3141', s ?? '$assert() statement failed'))),
  type: define(
    'x',
    1,
    known(([v]) => {
      const t = typeLetter(v);
      return t === 'l' ? 'null' : { n: 'number', f: 'function', a: 'array', s: 'string', b: 'boolean', o: 'object' }[t];
    }),
  ),
  sort: define(
    'af?',
    2,
    known(([l, f], input) => sort(l, f, input)),
  ),
  distinct: define('x', 1, ([v]) => distinct(v)),
  encodeUrlComponent: define(
    's-',
    1,
    known(([s]) => urlCoded('encodeUrlComponent', s, encodeURIComponent)),
  ),
  encodeUrl: define(
    's-',
    1,
    known(([s]) => urlCoded('encodeUrl', s, encodeURI)),
  ),
  decodeUrlComponent: define(
    's-',
    1,
    known(([s]) => urlCoded('decodeUrlComponent', s, decodeURIComponent)),
  ),
  decodeUrl: define(
    's-',
    1,
    known(([s]) => urlCoded('decodeUrl', s, decodeURI)),
  ),
  formatBase: define(
    'n-n?',
    2,
    known(([n, r]) => {
      const radix = r === undefined ? 10 : round(r);
      if (radix < 2 || radix > 36) failed('D3100', 'the radix must be from 2 to 36');
      return round(n).toString(radix);
    }),
  ),
};

/** What a function gives counts as made, its parts apart: those were there before, or were counted when they were made. */
function counted(v: unknown): unknown {
  if (typeof v === 'string') charge(v.length);
  else if (Array.isArray(v)) charge(8 * v.length);
  return v;
}

const made = new Map<string, Fn>();

/** A built-in function as a value, or undefined where the library has one that we leave to it. */
export function builtin(name: string): Fn | undefined {
  let f = made.get(name);
  const b = Object.hasOwn(BUILTINS, name) ? BUILTINS[name] : undefined;
  if (!f && b) {
    f = new Fn(b.arity, (args, input) => counted(b.run(prepare(name, b, args, input), input)), name);
    made.set(name, f);
  }
  return f;
}

export const BUILTIN_NAMES: readonly string[] = Object.keys(BUILTINS);
