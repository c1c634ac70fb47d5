/** How much goes through a topic, by spans of time. */

export const RATE_LIMITS = {
  /** Seconds of one span. */
  spanS: 10,
  /** Spans that are kept: half an hour. */
  spans: 180,
  /** Topics that are counted; beyond it the one that was counted first is forgotten. */
  topics: 2_000,
} as const;

export interface RateRow {
  /** Beginning of the span, milliseconds since 1970. */
  readonly at: number;
  /** Events that a broker, or this gateway, took. */
  readonly published: number;
  /** Events that it did not take. */
  readonly failed: number;
  /** Events that listeners took, one for each of them; a filter comes after. */
  readonly heard: number;
}

/** A topic as one gateway sees it. Spans in which nothing happened are left out. */
export interface TopicRate {
  readonly topic: string;
  /** Streams, sockets, calls that wait, and subscribers by callback. */
  readonly listeners: number;
  readonly rows: readonly RateRow[];
}

export type Counted = 'published' | 'failed' | 'heard';

const KINDS: readonly Counted[] = ['published', 'failed', 'heard'];
const SPAN_MS = RATE_LIMITS.spanS * 1000;

/** Counts of one topic in a ring of spans. */
export class Rates {
  /** Three counts for each span. */
  private readonly counts = new Uint32Array(RATE_LIMITS.spans * KINDS.length);
  /** Which span a place of the ring holds, counted from 1970. */
  private readonly spans = new Float64Array(RATE_LIMITS.spans);

  /** `wall`: milliseconds since 1970. */
  constructor(private readonly wall: () => number) {}

  add(kind: Counted): void {
    const span = Math.floor(this.wall() / SPAN_MS);
    const place = span % RATE_LIMITS.spans;
    if (this.spans[place] !== span) {
      // What stood here was half an hour ago.
      this.spans[place] = span;
      this.counts.fill(0, place * KINDS.length, (place + 1) * KINDS.length);
    }
    this.counts[place * KINDS.length + KINDS.indexOf(kind)]!++;
  }

  /** Oldest first. */
  rows(): RateRow[] {
    const now = Math.floor(this.wall() / SPAN_MS);
    const out: RateRow[] = [];
    for (let span = now - RATE_LIMITS.spans + 1; span <= now; span++) {
      const place = ((span % RATE_LIMITS.spans) + RATE_LIMITS.spans) % RATE_LIMITS.spans;
      if (this.spans[place] !== span) continue;
      const [published, failed, heard] = KINDS.map((_k, i) => this.counts[place * KINDS.length + i]!);
      out.push({ at: span * SPAN_MS, published: published!, failed: failed!, heard: heard! });
    }
    return out;
  }
}

/** What several gateways say of one topic, as every span of the last half hour, oldest first; those in which nothing happened stand with zeros. */
export function allSpans(rates: readonly TopicRate[], now: number): RateRow[] {
  const by = new Map<number, { published: number; failed: number; heard: number }>();
  for (const row of rates.flatMap((r) => r.rows)) {
    const at = Math.floor(row.at / SPAN_MS);
    const sum = by.get(at) ?? { published: 0, failed: 0, heard: 0 };
    for (const kind of KINDS) sum[kind] += row[kind];
    by.set(at, sum);
  }
  const last = Math.floor(now / SPAN_MS);
  return Array.from({ length: RATE_LIMITS.spans }, (_, i) => {
    const span = last - RATE_LIMITS.spans + 1 + i;
    return { at: span * SPAN_MS, ...(by.get(span) ?? { published: 0, failed: 0, heard: 0 }) };
  });
}
