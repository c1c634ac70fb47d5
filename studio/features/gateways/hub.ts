import type { CaseResult, PackedRehearsal, TopicRate, WebhookDelivery, WebhookSubscription } from '@hinge/core';
import { randomUUID } from 'node:crypto';

/** What the studio sends down a gateway's stream; gateway/src/feed/messages.ts is the other end. */
export interface Line {
  readonly gateway: string;
  readonly environment: string;
  send(event: 'config' | 'callers' | 'ping' | Question, data: unknown): void;
}

/** What a gateway is asked and answers. */
type Question = 'rehearse' | 'forget' | 'webhooks' | 'resend';

/** What a gateway sends back: one case message by message, many judged, or what it forgot. */
export interface Answered {
  readonly rehearsal?: PackedRehearsal;
  readonly results?: readonly CaseResult[];
  /** Of what was to be forgotten. */
  readonly count?: number;
  readonly subscriptions?: readonly WebhookSubscription[];
  readonly deliveries?: readonly WebhookDelivery[];
  readonly rates?: readonly TopicRate[];
  /** Of an event that was to be sent again. */
  readonly done?: boolean;
}

interface Waiting {
  resolve(r: Answered): void;
  reject(e: Error): void;
  readonly timer: NodeJS.Timeout;
}

/** Where a gateway counts calls and remembers replies, as it says. */
export interface StoreSaid {
  readonly state: 'process' | 'connected' | 'away';
  readonly whenAway?: 'own' | 'refuse';
}

/** All streams to gateways, and rehearsals on their way. Lives in the one studio process. */
export class Hub {
  private readonly lines = new Set<Line>();
  private readonly waiting = new Map<string, Waiting>();
  /** By gateway, as long as it is connected. */
  readonly stores = new Map<string, StoreSaid>();

  add(line: Line): () => void {
    this.lines.add(line);
    return () => {
      this.lines.delete(line);
      if (!this.connected().has(line.gateway)) this.stores.delete(line.gateway);
    };
  }

  connected(): ReadonlySet<string> {
    return new Set([...this.lines].map((l) => l.gateway));
  }

  in(environment: string): Line[] {
    return [...this.lines].filter((l) => l.environment === environment);
  }

  /** Sends the order to a gateway of the environment, the newest line first; rejects when there is none or it takes too long. */
  rehearse(environment: string, order: object, timeoutMs: number): Promise<Answered> {
    const line = this.in(environment).at(-1);
    if (!line) return Promise.reject(new NoGateway(environment));
    return this.ask(line, 'rehearse', order, timeoutMs);
  }

  /** Every gateway of the environment forgets; says how much that was, and at how many. On a shared store the first one forgets for all. */
  async forget(
    environment: string,
    tag: string | undefined,
    timeoutMs: number,
  ): Promise<{ count: number; gateways: number }> {
    const lines = this.in(environment);
    if (!lines.length) throw new NoGateway(environment);
    const order = tag === undefined ? {} : { tag };
    const all = await Promise.all(lines.map((l) => this.ask(l, 'forget', order, timeoutMs)));
    return { count: all.reduce((sum, a) => sum + (a.count ?? 0), 0), gateways: lines.length };
  }

  /** What each gateway of the environment says of the topics of an API, and of those who are called back. */
  async webhooks(environment: string, api: string, timeoutMs: number): Promise<{ gateway: string; told: Answered }[]> {
    const lines = this.in(environment);
    if (!lines.length) throw new NoGateway(environment);
    return Promise.all(
      lines.map(async (l) => ({ gateway: l.gateway, told: await this.ask(l, 'webhooks', { api }, timeoutMs) })),
    );
  }

  /** Lets one gateway send an event again; false where it has laid none aside under this id. */
  async resend(gateway: string, delivery: string, timeoutMs: number): Promise<boolean> {
    const line = [...this.lines].find((l) => l.gateway === gateway);
    if (!line) throw new Error(`the gateway ${gateway} is not connected`);
    return (await this.ask(line, 'resend', { delivery }, timeoutMs)).done ?? false;
  }

  private ask(line: Line, event: Question, order: object, timeoutMs: number): Promise<Answered> {
    const id = randomUUID();
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => {
        this.waiting.delete(id);
        reject(new Error(`the gateway did not finish within ${timeoutMs / 1000} s`));
      }, timeoutMs);
      this.waiting.set(id, { resolve, reject, timer });
      line.send(event, { id, ...order });
    });
  }

  settle(id: string, result: Answered | Error): void {
    const w = this.waiting.get(id);
    if (!w) return;
    this.waiting.delete(id);
    clearTimeout(w.timer);
    if (result instanceof Error) w.reject(result);
    else w.resolve(result);
  }
}

export class NoGateway extends Error {
  constructor(readonly environment: string) {
    super(`no gateway of ${environment} is connected; start one, then rehearse again`);
  }
}

const held = globalThis as { hingeHub?: Hub };
export const hub = (): Hub => (held.hingeHub ??= new Hub());
