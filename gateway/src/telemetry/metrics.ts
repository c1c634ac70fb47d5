import { Gauge, Registry, type Metric } from 'prom-client';

/** Prometheus metrics of one gateway. Labels are bounded: names from documents, status classes, never paths of callers. */
export class Metrics {
  readonly registry = new Registry();
  /** Requests that wait for their reply now; told when somebody asks. */
  inFlight = 0;
  private readonly inFlightGauge: Gauge = new Gauge({
    name: 'hinge_requests_in_flight',
    help: 'Requests that wait for their reply',
    registers: [this.registry],
    collect: () => this.inFlightGauge.set(this.inFlight),
  });
  readonly oldRevision = new Gauge({
    name: 'hinge_running_old_revision',
    help: '1 while the studio is away and the last good configuration runs',
    registers: [this.registry],
  });

  private readonly tallies = new Map<string, Tally[]>();
  private size = 0;

  constructor() {
    const times = 'Time from the first byte of the request to the reply';
    this.registry.registerMetric(told('hinge_requests_total', 'Requests answered', 'counter', () => this.counts()));
    this.registry.registerMetric(told('hinge_request_seconds', times, 'histogram', () => this.times()));
  }

  answered(api: string, operation: string, status: number, seconds: number): void {
    // Operations of one name are few: found by the name, then by what it belongs to. Making a key of all would cost more than counting.
    let list = this.tallies.get(operation);
    if (!list) {
      if (this.size >= MOST) this.forget();
      this.tallies.set(operation, (list = []));
    }
    for (const t of list)
      if (t.status === status && t.api === api) {
        t.add(seconds);
        return;
      }
    this.size++;
    const fresh = new Tally(api, operation, status);
    list.push(fresh);
    fresh.add(seconds);
  }

  private forget(): void {
    this.tallies.clear();
    this.size = 0;
  }

  private all(): Tally[] {
    return [...this.tallies.values()].flat();
  }

  private counts(): Value[] {
    return this.all().map((t) => ({
      labels: { api: t.api, operation: t.operation, status: String(t.status) },
      value: t.count,
    }));
  }

  /** Cumulative buckets, sum and count for each API, as the Prometheus text format wants them. */
  private times(): Value[] {
    const apis = new Map<string, Tally[]>();
    for (const t of this.all()) apis.set(t.api, [...(apis.get(t.api) ?? []), t]);
    return [...apis].flatMap(([api, list]): Value[] => {
      const sum = (of: (t: Tally) => number) => list.reduce((n, t) => n + of(t), 0);
      let below = 0;
      const buckets = BUCKETS.map((le, i): Value => {
        below += sum((t) => t.buckets[i]!);
        return { labels: { le, api }, value: below, metricName: 'hinge_request_seconds_bucket' };
      });
      const count = sum((t) => t.count);
      return [
        ...buckets,
        { labels: { le: '+Inf', api }, value: count, metricName: 'hinge_request_seconds_bucket' },
        { labels: { api }, value: sum((t) => t.seconds), metricName: 'hinge_request_seconds_sum' },
        { labels: { api }, value: count, metricName: 'hinge_request_seconds_count' },
      ];
    });
  }
}

/** Upper bounds in seconds. */
const BUCKETS = [0.001, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10] as const;
/** Names come from documents and are few; after so many something is wrong, and counting begins anew. */
const MOST = 10_000;

interface Value {
  readonly labels: Readonly<Record<string, string | number>>;
  readonly value: number;
  readonly metricName?: string;
}

/** Plain numbers, since they are touched by every request; the package reads them when somebody asks. */
class Tally {
  count = 0;
  seconds = 0;
  readonly buckets = new Float64Array(BUCKETS.length);

  constructor(
    readonly api: string,
    readonly operation: string,
    readonly status: number,
  ) {}

  add(seconds: number): void {
    this.count++;
    this.seconds += seconds;
    for (let i = 0; i < BUCKETS.length; i++)
      if (seconds <= BUCKETS[i]!) {
        this.buckets[i]!++;
        return;
      }
  }
}

/** A metric that says its values when it is asked for them. */
function told(name: string, help: string, type: 'counter' | 'histogram', values: () => Value[]): Metric {
  return {
    name,
    help,
    type,
    aggregator: 'sum',
    get: async () => ({ name, help, type, aggregator: 'sum', values: values() }),
  } as unknown as Metric;
}
