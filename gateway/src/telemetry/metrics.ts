import { Counter, Gauge, Histogram, Registry } from 'prom-client';

/** Prometheus metrics of one gateway. Labels are bounded: names from documents, status classes, never paths of callers. */
export class Metrics {
  readonly registry = new Registry();
  private readonly requests = new Counter({
    name: 'hinge_requests_total',
    help: 'Requests answered',
    labelNames: ['api', 'operation', 'status'],
    registers: [this.registry],
  });
  private readonly seconds = new Histogram({
    name: 'hinge_request_seconds',
    help: 'Time from the first byte of the request to the reply',
    labelNames: ['api'],
    registers: [this.registry],
    buckets: [0.001, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10],
  });
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

  /** Looking labels up costs more than counting. */
  private readonly children = new Map<string, { requests: Counter.Internal; seconds: Histogram.Internal<string> }>();

  answered(api: string, operation: string, status: number, seconds: number): void {
    const key = `${api} ${operation} ${status}`;
    let child = this.children.get(key);
    if (!child) {
      child = {
        requests: this.requests.labels({ api, operation, status: String(status) }),
        seconds: this.seconds.labels({ api }),
      };
      if (this.children.size >= 10_000) this.children.clear();
      this.children.set(key, child);
    }
    child.requests.inc();
    child.seconds.observe(seconds);
  }
}
