import { keyTag, type Store, type Webhooks } from '@hinge/core';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { StoreState, WhenAway } from '../stores/link';
import type { RecentTraces } from '../telemetry/recent';
import type { Metrics } from '../telemetry/metrics';

export interface Health {
  readonly ready: boolean;
  readonly revision: string;
  /** none: no studio is told of; away: the last good configuration runs. */
  readonly feed: 'none' | 'connected' | 'away';
  readonly runningOldRevision: boolean;
  /** Where calls are counted and replies remembered. */
  readonly store: StoreState;
  readonly whenStoreAway?: WhenAway;
}

/** GET /healthz, /readyz, /metrics, /traces, /traces/ID and /webhooks; POST /webhooks/ID/resend; DELETE /remembered: all, ?tag=NAME, or ?key=VALUE for each part of a key. */
export class ControlServer {
  private readonly server: Server;

  constructor(metrics: Metrics, health: () => Health, webhooks: Webhooks, store: Store, traces: RecentTraces) {
    this.server = createServer((req, res) => {
      const json = (status: number, value: unknown) => {
        res.writeHead(status, { 'content-type': 'application/json' });
        res.end(JSON.stringify(value));
      };
      const h = health();
      const [path, search] = (req.url ?? '').split('?', 2);
      if (req.method === 'DELETE' && path === '/remembered') {
        const asked = new URLSearchParams(search);
        const keys = asked.getAll('key');
        const tag = keys.length ? keyTag(keys) : (asked.get('tag') ?? undefined);
        void store.purge(tag).then(
          (forgotten) => json(200, { forgotten }),
          (error: Error) => json(503, { error: error.message }),
        );
        return;
      }
      const resend = req.method === 'POST' ? /^\/webhooks\/([\w-]+)\/resend$/.exec(req.url ?? '') : null;
      if (resend) {
        if (webhooks.resend(resend[1]!)) json(202, {});
        else json(404, { error: 'no event with this id was laid aside' });
      } else if (req.method !== 'GET' && req.method !== 'HEAD') json(405, { error: 'GET only' });
      else if (req.url === '/healthz') json(200, { status: 'up', ...h });
      else if (req.url === '/readyz') json(h.ready ? 200 : 503, h);
      else if (path === '/traces') json(200, { traces: traces.list() });
      else if (path?.startsWith('/traces/')) {
        const found = traces.find(path.slice('/traces/'.length));
        if (found === undefined) json(404, { error: 'there is no such trace here; the last ones are kept' });
        else {
          res.writeHead(200, { 'content-type': 'application/json' });
          res.end(found);
        }
      } else if (req.url === '/webhooks') json(200, { subscriptions: webhooks.count, deliveries: webhooks.deliveries });
      else if (req.url === '/metrics') {
        metrics.oldRevision.set(h.runningOldRevision ? 1 : 0);
        void metrics.registry.metrics().then((text) => {
          res.writeHead(200, { 'content-type': metrics.registry.contentType });
          res.end(text);
        });
      } else json(404, { error: 'there are /healthz, /readyz, /metrics, /traces, /traces/ID and /webhooks' });
    });
  }

  async listen(port: number): Promise<number> {
    await new Promise<void>((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, '127.0.0.1', resolve);
    });
    return (this.server.address() as AddressInfo).port;
  }

  close(): void {
    this.server.close();
    this.server.closeAllConnections();
  }
}
