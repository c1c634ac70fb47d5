import { tick } from './budget';

/** Results of a path: a list that falls together when it holds one value or none, unless it is kept. */
export type Sequence = unknown[] & { sequence: true; keepSingleton: boolean };

export function makeSequence(...values: unknown[]): Sequence {
  const s = values as Sequence;
  s.sequence = true;
  s.keepSingleton = false;
  return s;
}

export function isSequence(v: unknown): v is Sequence {
  return Array.isArray(v) && (v as Sequence).sequence === true;
}

/** Lists that an array constructor made as the first step of a path stay whole. */
const constructed = new WeakSet<object>();
export const markConstructed = (list: unknown[]): unknown[] => {
  constructed.add(list);
  return list;
};
export const isConstructed = (list: object): boolean => constructed.has(list);

/** What evaluating a node ends with: a sequence of one is its value, an empty one is nothing. */
export function settled(v: unknown): unknown {
  if (!isSequence(v)) return v;
  if (v.length === 0) return undefined;
  return v.length === 1 && !v.keepSingleton ? v[0] : v;
}

/** A function as a value: a lambda, or a built-in one. `arity` is what higher-order functions ask for. */
export class Fn {
  constructor(
    readonly arity: number,
    /** One round: a lambda whose result is another call gives that call back instead of making it. */
    readonly enter: (args: unknown[], input: unknown) => unknown,
    readonly name = 'function',
  ) {}

  call(args: unknown[], input: unknown): unknown {
    let next = this.enter(args, input);
    while (next instanceof TailCall) {
      tick();
      next = next.fn.enter(next.args, next.input);
    }
    return next;
  }
}

/** A call in the place of a result: made when the caller's own frame is gone, so that a function may call itself for long. */
export class TailCall {
  constructor(
    readonly fn: Fn,
    readonly args: unknown[],
    readonly input: unknown,
  ) {}
}

/** Names bound inside an expression. */
export class Frame {
  private readonly values = new Map<string, unknown>();

  constructor(readonly parent: Frame | undefined) {}

  bind(name: string, value: unknown): void {
    this.values.set(name, value);
  }

  lookup(name: string): unknown {
    for (let at: Frame | undefined = this; at; at = at.parent) if (at.values.has(name)) return at.values.get(name); // eslint-disable-line @typescript-eslint/no-this-alias
    return undefined;
  }
}

export { nested, tick } from './budget';
