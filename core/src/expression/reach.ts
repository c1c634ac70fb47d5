import { append, isNames, plain } from './operators';
import { Fn, isSequence, makeSequence, tick } from './values';

/** The names at the root as an object, where an expression wants all of them. */
export function whole(input: unknown): unknown {
  if (!isNames(input)) return input;
  const out: Record<string, unknown> = {};
  for (const name of input.names) {
    const v = input.read(name);
    if (v !== undefined) out[name] = v;
  }
  return out;
}

export function wildcard(given: unknown): unknown {
  const input = whole(given);
  const out = makeSequence();
  if (input === null || typeof input !== 'object' || input instanceof Fn || plain(input) !== input) return out;
  let result: unknown = out;
  for (const value of Object.values(input)) {
    tick();
    if (Array.isArray(value)) result = append(result, (value as unknown[]).flat(Infinity));
    else (result as unknown[]).push(value);
  }
  if (isSequence(result)) return result;
  const all = makeSequence();
  for (const v of result as unknown[]) all.push(v);
  return all;
}

export function descend(v: unknown, out: unknown[]): void {
  tick();
  if (Array.isArray(v)) {
    for (const x of v as unknown[]) descend(x, out);
    return;
  }
  out.push(v);
  if (v !== null && typeof v === 'object' && !(v instanceof Fn) && plain(v) === v)
    for (const x of Object.values(v)) descend(x, out);
}
