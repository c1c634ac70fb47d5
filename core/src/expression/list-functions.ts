import { Digits } from '../message/digits';
import { setMember } from '../message/objects';
import { charge } from './budget';
import { append, equal, plain, truth } from './operators';
import { typeLetter } from './signature';
import { mergeSort } from './sorting';
import { failed } from './text-functions';
import { Fn, isSequence, makeSequence, tick } from './values';

export const num = (v: unknown): number => plain(v) as number;

export function keysOf(v: unknown): unknown {
  const out = makeSequence();
  if (Array.isArray(v)) {
    const merged = new Set<string>();
    for (const item of v) {
      tick();
      for (const k of (keysOf(item) as string[] | undefined) ?? []) merged.add(k);
    }
    for (const k of merged) out.push(k);
  } else if (isObject(v)) for (const k of Object.keys(v)) out.push(k);
  return out;
}

export const isObject = (v: unknown): v is Record<string, unknown> =>
  v !== null && typeof v === 'object' && !Array.isArray(v) && !(v instanceof Fn) && !(v instanceof Digits);

export function spread(v: unknown): unknown {
  if (Array.isArray(v)) {
    let out: unknown = makeSequence();
    for (const item of v) out = append(out, spread(item));
    return out;
  }
  if (!isObject(v)) return v;
  const out = makeSequence();
  for (const k of Object.keys(v)) {
    charge(32);
    out.push({ [k]: v[k] });
  }
  return out;
}

export function sort(list: unknown[], f: Fn | undefined, input: unknown): unknown {
  if (list.length <= 1) return list;
  if (f) return mergeSort(list, (a, b) => truth(f.call([a, b], input)));
  const letters = new Set(list.map(typeLetter));
  if (letters.size !== 1 || !['n', 's'].includes([...letters][0]!))
    failed('D3070', 'without a function only texts or only numbers can be sorted');
  return mergeSort(list, (a, b) => (plain(a) as number) > (plain(b) as number));
}

export function join(list: readonly string[], by: string): string {
  let length = 0;
  for (const t of list) length += t.length + by.length;
  charge(length);
  return list.join(by);
}

export function distinct(v: unknown): unknown {
  if (!Array.isArray(v) || v.length <= 1) return v;
  const out: unknown[] = isSequence(v) ? makeSequence() : [];
  const scalars = new Set<unknown>();
  for (const item of v as unknown[]) {
    tick();
    const p = plain(item);
    if (p === null || typeof p !== 'object') {
      if (scalars.has(p)) continue;
      scalars.add(p);
    } else if (out.some((x) => (tick(), equal(x, item)))) continue;
    out.push(item);
  }
  return out;
}

export function extreme(list: readonly unknown[], before: (a: number, b: number) => boolean): number | undefined {
  if (!list.length) return undefined;
  let found = num(list[0]);
  for (const v of list) {
    const n = num(v);
    if (before(n, found)) found = n;
  }
  return found;
}

/** Members of later objects take the place of those of earlier ones. */
export function merged(list: readonly Record<string, unknown>[]): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const o of list) {
    tick();
    for (const key of Object.keys(o)) {
      charge(16);
      setMember(out, key, o[key]);
    }
  }
  return out;
}

export function total(list: readonly unknown[]): number {
  let sum = 0;
  for (const v of list) sum += typeof v === 'number' ? v : num(v);
  return sum;
}
