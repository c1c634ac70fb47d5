interface Window {
  /** Times of the calls that were let in, as a ring. */
  readonly times: Float64Array;
  next: number;
  filled: number;
}

const MOST_KEYS = 50_000;

/** Sliding windows by key. Bounded: the key that was not seen longest is forgotten first. */
export class Windows {
  private readonly all = new Map<string, Window>();

  constructor(
    private readonly calls: number,
    private readonly windowMs: number,
  ) {}

  /** Milliseconds until a call would be let in; nothing is counted. */
  wait(key: string, now: number): number {
    const w = this.all.get(key);
    if (!w || w.filled < this.calls) return 0;
    return Math.max(0, w.times[(w.next - w.filled + this.calls) % this.calls]! + this.windowMs - now);
  }

  /** `left`: calls that may still come now; `waitMs`: until the oldest call leaves the window. */
  take(key: string, now: number): { ok: boolean; left: number; waitMs: number } {
    let w = this.all.get(key);
    if (w) this.all.delete(key);
    else w = { times: new Float64Array(this.calls), next: 0, filled: 0 };
    this.all.set(key, w);
    if (this.all.size > MOST_KEYS) this.all.delete(this.all.keys().next().value!);
    const { times } = w;
    // What has left the window makes room; the ring's oldest entry is the one before `next`, `filled` steps back.
    while (w.filled > 0 && now - times[(w.next - w.filled + this.calls) % this.calls]! >= this.windowMs) w.filled--;
    const oldest = () => times[(w.next - w.filled + this.calls) % this.calls]!;
    if (w.filled >= this.calls) return { ok: false, left: 0, waitMs: oldest() + this.windowMs - now };
    times[w.next] = now;
    w.next = (w.next + 1) % this.calls;
    w.filled++;
    return { ok: true, left: this.calls - w.filled, waitMs: oldest() + this.windowMs - now };
  }
}
