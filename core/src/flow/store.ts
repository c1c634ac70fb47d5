import type { Remembered, Store } from './ports';

export interface StoreBounds {
  readonly entries: number;
  readonly bytes: number;
}

const BOUNDS: StoreBounds = { entries: 10_000, bytes: 64 * 1024 * 1024 };

/** What flows remember, in this process. Bounded: the entry that was not asked for longest goes first. */
export class MemoryStore implements Store {
  private readonly entries = new Map<string, { value: Remembered; bytes: number }>();
  private bytes = 0;

  constructor(
    private readonly now: () => number,
    private readonly bounds: StoreBounds = BOUNDS,
  ) {}

  get(key: string): Promise<Remembered | undefined> {
    const found = this.entries.get(key);
    if (!found) return NOTHING;
    this.forget(key);
    if (found.value.expiresMs <= this.now()) return NOTHING;
    this.entries.set(key, found);
    this.bytes += found.bytes;
    return Promise.resolve(found.value);
  }

  set(key: string, value: Remembered): void {
    const bytes = key.length * 2 + value.message.body.byteLength + 512;
    this.forget(key);
    if (bytes > this.bounds.bytes) return;
    this.entries.set(key, { value, bytes });
    this.bytes += bytes;
    for (const oldest of this.entries.keys()) {
      if (this.entries.size <= this.bounds.entries && this.bytes <= this.bounds.bytes) break;
      this.forget(oldest);
    }
  }

  purge(tag?: string): Promise<number> {
    const gone = [...this.entries].filter(([, e]) => tag === undefined || e.value.tags?.includes(tag));
    for (const [key] of gone) this.forget(key);
    return Promise.resolve(gone.length);
  }

  get size(): number {
    return this.entries.size;
  }

  private forget(key: string): void {
    const found = this.entries.get(key);
    if (!found) return;
    this.bytes -= found.bytes;
    this.entries.delete(key);
  }
}

const NOTHING = Promise.resolve(undefined);
