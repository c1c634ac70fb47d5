import { writeJson, type CallersConfig } from '@hinge/core';
import { createParser } from 'eventsource-parser';
import { request } from 'undici';
import type { GatewayConfig } from '../config';
import { GATEWAY_LIMITS } from '../limits';
import type { Rehearsed, RehearsalOrder } from '../rehearsals';
import type { FeedEvents, FeedReport } from './messages';

export interface FeedOptions {
  /** Address of the studio. */
  readonly studio: string;
  readonly token: string;
  readonly apply: (config: GatewayConfig) => Promise<void>;
  readonly callers: (callers: CallersConfig) => Promise<void>;
  readonly rehearse: (order: RehearsalOrder) => Promise<Rehearsed>;
  /** Says how much it was. */
  readonly forget: (tag: string | undefined) => Promise<number>;
  readonly webhooks: (
    api: string,
  ) => Pick<Extract<FeedReport, { kind: 'webhooks' }>, 'subscriptions' | 'deliveries' | 'rates'>;
  /** False where no such event was laid aside. */
  readonly resend: (delivery: string) => boolean;
  readonly store: () => Omit<Extract<FeedReport, { kind: 'store' }>, 'kind'>;
  readonly log?: (message: string) => void;
}

/** Holds the one outbound stream to the studio open, for ever: opens it again when it breaks, with growing waits. */
export class FeedClient {
  private stopped = false;
  private abort = new AbortController();
  private waitMs: number = GATEWAY_LIMITS.feedRetryMinMs;
  private said = '';
  connected = false;

  constructor(private readonly options: FeedOptions) {}

  start(): void {
    void this.loop();
  }

  stop(): void {
    this.stopped = true;
    this.abort.abort();
  }

  report(report: FeedReport): Promise<void> {
    return this.post(writeJson(report));
  }

  /** The report of traces, each of them the JSON text of a Trace. */
  traces(texts: readonly string[]): Promise<void> {
    return this.post(`{"kind":"traces","traces":[${texts.join(',')}]}`);
  }

  private async post(body: string): Promise<void> {
    const reply = await request(`${this.options.studio}/api/feed/report`, {
      method: 'POST',
      headers: { authorization: `Bearer ${this.options.token}`, 'content-type': 'application/json' },
      body,
      headersTimeout: 10_000,
    });
    await reply.body.dump();
    if (reply.statusCode >= 300) throw new Error(`the studio answered ${reply.statusCode}`);
  }

  /** Where things are counted and remembered. The studio may be away: then it is told when it comes back. */
  async tellStore(): Promise<void> {
    if (!this.connected) return;
    await this.report({ kind: 'store', ...this.options.store() }).catch(() => undefined);
  }

  private async loop(): Promise<void> {
    while (!this.stopped) {
      try {
        await this.listen();
      } catch (error) {
        this.say(`the studio is away (${(error as Error).message}); callers are served on`);
      }
      this.connected = false;
      if (this.stopped) return;
      await new Promise((resolve) => setTimeout(resolve, this.waitMs * (0.75 + Math.random() / 2)));
      this.waitMs = Math.min(this.waitMs * 2, GATEWAY_LIMITS.feedRetryMaxMs);
    }
  }

  /** The same thing is said once, not at every try. */
  private say(text: string): void {
    if (text !== this.said) this.options.log?.(text);
    this.said = text;
  }

  private async listen(): Promise<void> {
    this.abort = new AbortController();
    const { statusCode, body } = await request(`${this.options.studio}/api/feed`, {
      headers: { authorization: `Bearer ${this.options.token}`, accept: 'text/event-stream' },
      signal: this.abort.signal,
      headersTimeout: 10_000,
      bodyTimeout: GATEWAY_LIMITS.feedSilenceMs,
    });
    if (statusCode !== 200) {
      await body.dump();
      throw new Error(`it answered ${statusCode}`);
    }
    this.connected = true;
    this.waitMs = GATEWAY_LIMITS.feedRetryMinMs;
    this.say('the studio is connected');
    void this.tellStore();
    const parser = createParser({
      onEvent: (event) =>
        void this.handle(event.event as keyof FeedEvents, event.data).catch((error: unknown) =>
          this.options.log?.(`feed: ${(error as Error).message}`),
        ),
    });
    const decoder = new TextDecoder();
    for await (const chunk of body as AsyncIterable<Uint8Array>) parser.feed(decoder.decode(chunk, { stream: true }));
    throw new Error('the stream ended');
  }

  private async handle(event: keyof FeedEvents, data: string): Promise<void> {
    if (event === 'config') {
      const config = JSON.parse(data) as FeedEvents['config'];
      try {
        await this.options.apply(config);
      } catch (error) {
        await this.report({ kind: 'refused', revision: config.revision, why: (error as Error).message });
        return;
      }
      await this.report({ kind: 'applied', revision: config.revision });
      if (config.callers) await this.report({ kind: 'callers-applied', revision: config.callers.revision });
    } else if (event === 'callers') {
      const callers = JSON.parse(data) as FeedEvents['callers'];
      await this.options.callers(callers);
      await this.report({ kind: 'callers-applied', revision: callers.revision });
    } else if (event === 'forget') {
      const { id, tag } = JSON.parse(data) as FeedEvents['forget'];
      try {
        await this.report({ kind: 'forgotten', id, count: await this.options.forget(tag) });
      } catch (error) {
        await this.report({ kind: 'not-forgotten', id, why: (error as Error).message });
      }
    } else if (event === 'webhooks') {
      const { id, api } = JSON.parse(data) as FeedEvents['webhooks'];
      await this.report({ kind: 'webhooks', id, ...this.options.webhooks(api) });
    } else if (event === 'resend') {
      const { id, delivery } = JSON.parse(data) as FeedEvents['resend'];
      await this.report({ kind: 'resent', id, done: this.options.resend(delivery) });
    } else if (event === 'rehearse') {
      const order = JSON.parse(data) as FeedEvents['rehearse'];
      try {
        await this.report({ kind: 'rehearsed', id: order.id, ...(await this.options.rehearse(order)) });
      } catch (error) {
        await this.report({ kind: 'not-rehearsed', id: order.id, why: (error as Error).message });
      }
    }
  }
}
