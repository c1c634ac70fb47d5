interface Window {
  /** Times of the calls that were let in, as a ring; it grows with what comes. */
  times: Float64Array;
  next: number;
  filled: number;
}

const MOST_KEYS = 50_000;
const FIRST = 16;

const oldestOf = (w: Window): number => w.times[(w.next - w.filled + w.times.length) % w.times.length]!;

/** Sliding windows by key. Bounded: the key that was not seen longest is forgotten first. */
export class Windows {
  private readonly all = new Map<string, Window>();
  private newest: string | undefined;

  constructor(
    private readonly calls: number,
    private readonly windowMs: number,
  ) {}

  /** Milliseconds until a call would be let in; nothing is counted. */
  wait(key: string, now: number): number {
    const w = this.all.get(key);
    if (!w || w.filled < this.calls) return 0;
    return Math.max(0, oldestOf(w) + this.windowMs - now);
  }

  /** `left`: calls that may still come now; `waitMs`: until the oldest call leaves the window. */
  take(key: string, now: number): { ok: boolean; left: number; waitMs: number } {
    let w = this.all.get(key);
    // The one that was seen last stands at the end already.
    if (!w || key !== this.newest) {
      if (w) this.all.delete(key);
      else w = { times: new Float64Array(Math.min(this.calls, FIRST)), next: 0, filled: 0 };
      this.all.set(key, w);
      this.newest = key;
      if (this.all.size > MOST_KEYS) this.all.delete(this.all.keys().next().value!);
    }
    // What has left the window makes room.
    while (w.filled > 0 && now - oldestOf(w) >= this.windowMs) w.filled--;
    if (w.filled >= this.calls) return { ok: false, left: 0, waitMs: oldestOf(w) + this.windowMs - now };
    if (w.filled === w.times.length) this.grow(w);
    w.times[w.next] = now;
    w.next = (w.next + 1) % w.times.length;
    w.filled++;
    return { ok: true, left: this.calls - w.filled, waitMs: oldestOf(w) + this.windowMs - now };
  }

  private grow(w: Window): void {
    const times = new Float64Array(Math.min(this.calls, w.times.length * 2));
    for (let i = 0; i < w.filled; i++) times[i] = w.times[(w.next - w.filled + i + w.times.length) % w.times.length]!;
    w.times = times;
    w.next = w.filled;
  }
}
