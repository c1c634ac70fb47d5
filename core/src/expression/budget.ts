import { LIMITS } from '../limits';
import { Digits } from '../message/digits';
import { ExpressionError } from './error';

/** What the expressions of one request may take together. Times in milliseconds, sizes in bytes (a character counts as one). */
export interface BudgetLimits {
  readonly ms: number;
  readonly bytes: number;
}

export const DEFAULT_BUDGET: BudgetLimits = { ms: LIMITS.expressionMs, bytes: LIMITS.expressionBytes };

/** Expressions of one request share one; they are evaluated one after the other. */
export class Budget {
  steps = 0;
  bytes = 0;
  ms = 0;
  constructor(readonly limits: BudgetLimits = DEFAULT_BUDGET) {}
}

interface Processor {
  cpuUsage?(): { readonly user: number; readonly system: number };
}
const processor = (globalThis as { process?: Processor }).process;

/** Milliseconds of work: time that passed while the processor did something else, as on a busy machine, is not counted where that can be known. */
export class Stopwatch {
  private at = 0;
  private cpu = 0;

  /** Since the last lap. */
  lap(): number {
    const now = performance.now();
    const usage = processor?.cpuUsage?.();
    const cpu = usage ? (usage.user + usage.system) / 1000 : now;
    const spent = Math.min(now - this.at, cpu - this.cpu);
    this.at = now;
    this.cpu = cpu;
    return spent;
  }
}

/** How many steps lie between two looks at the clock. */
const LOOK_EVERY = 1024;
/** A byte made costs a fraction of a step: so much as one of them takes a step's time. */
const BYTES_PER_STEP = 256;

let current = new Budget();
let steps = 0;
let depth = 0;
let nextLook = LOOK_EVERY;
const watch = new Stopwatch();
/** There was a look within this evaluation already. */
let timed = false;

/** Milliseconds of evaluating since the process last did anything else. */
let heldMs = 0;

/** Begins an expression; evaluating never waits, so no other comes in between. */
export function beginBudget(budget: Budget | undefined): void {
  current = budget ?? new Budget();
  steps = 0;
  depth = 0;
  nextLook = LOOK_EVERY;
  timed = false;
}

/** Units of work; the expressions of a request may do only so many. */
export function tick(n = 1): void {
  steps += n;
  if (steps >= nextLook) look();
}

function look(): void {
  current.steps += steps;
  steps = 0;
  nextLook = LOOK_EVERY;
  if (current.steps > LIMITS.expressionSteps)
    throw new ExpressionError('D1012', `the expressions did more than ${LIMITS.expressionSteps} steps`);
  const spent = watch.lap();
  if (timed) {
    current.ms += spent;
    held(spent);
  }
  timed = true;
  if (current.ms > current.limits.ms)
    throw new ExpressionError('D1012', `the expressions took more than ${current.limits.ms} ms`);
}

/** Counts what a function makes, before it makes it where that can be known. */
export function charge(bytes: number): void {
  current.bytes += bytes;
  if (current.bytes > current.limits.bytes)
    throw new ExpressionError('D1012', `the expressions made more than ${current.limits.bytes} bytes`);
  if (bytes >= BYTES_PER_STEP) tick(Math.floor(bytes / BYTES_PER_STEP));
}

export function nested<T>(run: () => T): T {
  if (++depth > LIMITS.expressionDepth)
    throw new ExpressionError('D1011', `functions call each other deeper than ${LIMITS.expressionDepth}`);
  try {
    return run();
  } finally {
    depth--;
  }
}

/**
 * Walks a value as whoever writes it will: each part as often as it stands there, since parts may be shared many times over. Throws where that would
 * be more than `most` bytes.
 */
export function weigh(value: unknown, most: number): number {
  let bytes = 0;
  const walk = (v: unknown): void => {
    if (typeof v === 'string') bytes += v.length;
    else if (v !== null && typeof v === 'object' && !(v instanceof Digits)) {
      tick();
      bytes += 8;
      if (Array.isArray(v)) for (const x of v as unknown[]) walk(x);
      else
        for (const key in v) {
          bytes += key.length;
          walk((v as Record<string, unknown>)[key]);
        }
    } else bytes += 8;
    if (bytes > most) throw new ExpressionError('D1012', `the result of an expression has more than ${most} bytes`);
  };
  walk(value);
  return bytes;
}

declare const setImmediate: ((run: () => void) => unknown) | undefined;
const soon = (run: () => void): void =>
  void (typeof setImmediate === 'function' ? setImmediate(run) : setTimeout(run, 0));

const waiting: (() => void)[] = [];
let pumping = false;

/** With the next turn of the process one of those that wait goes on, and only one: together they would hold it again. */
function pump(): void {
  if (pumping) return;
  pumping = true;
  soon(() => {
    pumping = false;
    heldMs = 0;
    waiting.shift()?.();
    if (waiting.length) pump();
  });
}

/** Counts time in which nobody else had a turn. */
export function held(ms: number): void {
  heldMs += ms;
  pump();
}

/** Whether expressions have held the process for long: the next step waits, so that others have their turn. */
const due = (): boolean => heldMs >= LIMITS.expressionTurnMs || waiting.length > 0;

/** Resolves when others had their turn. */
export const othersFirst = Object.assign(
  (): Promise<void> =>
    new Promise((resolve) => {
      waiting.push(resolve);
      pump();
    }),
  { due },
);
