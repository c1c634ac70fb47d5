/** Things that were used of late, within bounds: what was used longest ago goes first. */
export class Recent<V> {
  private readonly kept = new Map<string, { readonly value: V; readonly size: number }>();
  private whole = 0;

  constructor(
    private readonly most: number,
    /** Of all sizes together. */
    private readonly space: number,
  ) {}

  get(key: string): V | undefined {
    const found = this.kept.get(key);
    if (!found) return undefined;
    this.kept.delete(key);
    this.kept.set(key, found);
    return found.value;
  }

  /** What is larger than a tenth of the space is not kept. */
  set(key: string, value: V, size: number): void {
    if (size > this.space / 10) return;
    this.drop(key);
    this.kept.set(key, { value, size });
    this.whole += size;
    for (const oldest of this.kept.keys()) {
      if (this.kept.size <= this.most && this.whole <= this.space) break;
      this.drop(oldest);
    }
  }

  private drop(key: string): void {
    this.whole -= this.kept.get(key)?.size ?? 0;
    this.kept.delete(key);
  }

  get size(): number {
    return this.kept.size;
  }
}
