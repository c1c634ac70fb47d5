import { Windows } from './rate/windows';

export interface Taken {
  readonly ok: boolean;
  /** Calls that may still come now. */
  readonly left: number;
  /** Until the oldest call leaves the window. */
  readonly waitMs: number;
}

/** Counts calls for guards, under names that say which guard of which API it is. */
export interface Counters {
  /** A call in a sliding window: in no span of its length are more let in. */
  window(name: string, calls: number, windowMs: number): Taken | Promise<Taken>;
  /** A call of a period of the calendar, milliseconds since 1970; how many there were, or undefined when all are used. */
  period(name: string, calls: number, from: number, to: number): number | undefined | Promise<number | undefined>;
  /** A call that goes on; undefined when there are too many already. What comes back ends it. */
  enter(name: string, calls: number): (() => void) | undefined | Promise<(() => void) | undefined>;
}

const MOST_KEYS = 50_000;
const MOST_WINDOWS = 2_000;

/** Counts of this process. Bounded: what was not asked for longest is forgotten first. */
export class OwnCounters implements Counters {
  private readonly windows = new Map<string, Windows>();
  private readonly periods = new Map<string, { from: number; calls: number }>();
  private readonly going = new Map<string, number>();

  constructor(private readonly now: () => number) {}

  /** Where the last call was counted: the next is often another of the same caller. */
  private last: { name: string; calls: number; windowMs: number; windows: Windows; key: string } | undefined;

  window(name: string, calls: number, windowMs: number): Taken {
    let { last } = this;
    if (!last || name !== last.name || calls !== last.calls || windowMs !== last.windowMs)
      last = this.last = { name, calls, windowMs, ...this.windowsOf(name, calls, windowMs) };
    return last.windows.take(last.key, this.now());
  }

  private windowsOf(name: string, calls: number, windowMs: number): { windows: Windows; key: string } {
    const [scope, key] = split(name);
    const id = `${calls} ${windowMs} ${scope}`;
    let found = this.windows.get(id);
    if (!found) {
      found = new Windows(calls, windowMs);
      if (this.windows.size >= MOST_WINDOWS) this.windows.delete(this.windows.keys().next().value!);
      this.windows.set(id, found);
    }
    return { windows: found, key };
  }

  period(name: string, calls: number, from: number): number | undefined {
    let used = this.periods.get(name);
    if (used) this.periods.delete(name);
    if (used?.from !== from) used = { from, calls: 0 };
    this.periods.set(name, used);
    if (this.periods.size > MOST_KEYS) this.periods.delete(this.periods.keys().next().value!);
    return used.calls >= calls ? undefined : ++used.calls;
  }

  enter(name: string, calls: number): (() => void) | undefined {
    const n = this.going.get(name) ?? 0;
    if (n >= calls) return undefined;
    this.going.set(name, n + 1);
    return () => {
      const left = this.going.get(name)! - 1;
      if (left) this.going.set(name, left);
      else this.going.delete(name);
    };
  }
}

/** A name is the guard's, then whom it counts. */
export const countedName = (scope: string, whom: string): string => `${scope}\n${whom}`;
function split(name: string): [string, string] {
  const cut = name.indexOf('\n');
  return cut < 0 ? ['', name] : [name.slice(0, cut), name.slice(cut + 1)];
}
