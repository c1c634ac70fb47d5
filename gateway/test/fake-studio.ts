import type { ServerResponse } from 'node:http';
import type { FeedReport, GatewayConfig } from '../src';
import { listen } from './world';

/** A studio that is only a feed: one stream, and a box for reports. */
export class FakeStudio {
  readonly reports: FeedReport[] = [];
  streams: ServerResponse[] = [];
  config?: GatewayConfig;
  url = '';
  stop: () => Promise<void> = async () => undefined;

  async start(port = 0): Promise<void> {
    const s = await listen((req, res) => {
      if (req.headers.authorization !== 'Bearer secret') {
        res.writeHead(401);
        res.end();
      } else if (req.url === '/api/feed') {
        res.writeHead(200, { 'content-type': 'text/event-stream' });
        this.streams.push(res);
        if (this.config) this.send('config', this.config);
      } else {
        let text = '';
        req.on('data', (d: Buffer) => (text += d.toString()));
        req.on('end', () => {
          this.reports.push(JSON.parse(text) as FeedReport);
          res.end('{}');
        });
      }
    });
    void port;
    this.url = s.url;
    this.stop = s.stop;
  }

  send(event: string, data: unknown): void {
    for (const s of this.streams) s.write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
  }

  of<K extends FeedReport['kind']>(kind: K): Extract<FeedReport, { kind: K }>[] {
    return this.reports.filter((r): r is Extract<FeedReport, { kind: K }> => r.kind === kind);
  }
}
