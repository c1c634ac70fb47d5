import { writeJson } from '../codec/json';
import type { Backends, BackendReply } from '../flow/ports';
import { Body } from '../message/body';
import { STRUCTURED, toStructured, type TopicEvent } from './event';
import { linksOf } from './hub-door';
import type { Listener, Subscribers, SubscriptionWish, Topics } from './ports';

export const WEBHOOK_LIMITS = {
  /** Subscriptions of one gateway process. */
  subscriptions: 5_000,
  /** A subscriber's answer, to the question whether it meant it and to an event. */
  verifyMs: 5_000,
  deliverMs: 10_000,
  /** The wait after the first failure; it doubles up to the longest. */
  firstWaitMs: 1_000,
  longestWaitMs: 300_000,
  /** Deliveries that can be looked at; events that were laid aside stay among them, the oldest of all go. */
  deliveries: 1_000,
} as const;

export interface Attempt {
  /** ISO 8601. */
  readonly at: string;
  readonly ms: number;
  readonly status?: number;
  /** Why there was no answer. */
  readonly failure?: string;
}

/** One event on its way to one subscriber. `dead`: every try failed; it may be sent again. */
export interface WebhookDelivery {
  readonly id: string;
  readonly topic: string;
  readonly callback: string;
  readonly event: string;
  readonly state: 'waiting' | 'delivered' | 'dead' | 'ended';
  readonly attempts: readonly Attempt[];
}

interface Kept {
  view: { -readonly [K in keyof WebhookDelivery]: WebhookDelivery[K] } & { attempts: Attempt[] };
  readonly sub: Subscription;
  readonly event: TopicEvent;
}

/** Subscriptions of one topic to one callback: a later one takes the place of an earlier one (WebSub §5.1). */
interface Subscription {
  readonly wish: SubscriptionWish;
  readonly expiresMs: number;
  listener?: Listener;
  ended: boolean;
  /** Ends a wait between two tries. */
  wake?: () => void;
}

/**
 * The hub of W3C WebSub: it asks before it sends (§5.3), sends events in their order to each subscriber by itself, one at a time, signs (§7.1), tries again with
 * longer and longer waits, and lays aside what nobody takes. One subscriber that is slow holds up no other. All of it lives in this process.
 */
export class Webhooks implements Subscribers {
  private readonly subscriptions = new Map<string, Subscription>();
  private readonly kept: Kept[] = [];
  private closed = false;

  constructor(
    private readonly topics: Topics,
    private readonly backends: Backends,
    private readonly now: () => number,
    private readonly log: (words: string) => void = () => undefined,
    private readonly limits: { -readonly [K in keyof typeof WEBHOOK_LIMITS]: number } = WEBHOOK_LIMITS,
  ) {}

  subscribe(wish: SubscriptionWish): void {
    void this.begin(wish).catch((error: Error) => this.log(`${wish.callback} is not subscribed: ${error.message}`));
  }

  unsubscribe(wish: Pick<SubscriptionWish, 'topic' | 'callback' | 'self'>): void {
    const sub = this.subscriptions.get(keyOf(wish));
    if (!sub) return;
    void this.verify('unsubscribe', { ...sub.wish, self: wish.self })
      .then(() => this.end(sub))
      .catch((error: Error) => this.log(`${wish.callback} stays subscribed: ${error.message}`));
  }

  /** Newest first. */
  get deliveries(): readonly WebhookDelivery[] {
    return this.kept.map((k) => k.view).reverse();
  }

  get count(): number {
    return this.subscriptions.size;
  }

  /** Sends an event again that was laid aside; false where there is no such one. */
  resend(id: string): boolean {
    const kept = this.kept.find((k) => k.view.id === id);
    if (kept?.view.state !== 'dead') return false;
    kept.view.state = 'waiting';
    void this.tries(kept);
    return true;
  }

  close(): void {
    this.closed = true;
    for (const sub of this.subscriptions.values()) this.end(sub);
  }

  private async begin(wish: SubscriptionWish): Promise<void> {
    if (this.subscriptions.size >= this.limits.subscriptions) throw new Error('too many are subscribed already');
    await this.verify('subscribe', wish);
    if (this.closed) return;
    const before = this.subscriptions.get(keyOf(wish));
    if (before) this.end(before);
    const sub: Subscription = { wish, expiresMs: this.now() + wish.leaseSeconds * 1000, ended: false };
    this.subscriptions.set(keyOf(wish), sub);
    void this.run(sub);
  }

  /** WebSub §5.3: the subscriber gives the challenge back, or it never asked. */
  private async verify(mode: 'subscribe' | 'unsubscribe', wish: SubscriptionWish): Promise<void> {
    const challenge = crypto.randomUUID();
    const url = new URL(wish.callback);
    url.searchParams.append('hub.mode', mode);
    url.searchParams.append('hub.topic', wish.self);
    url.searchParams.append('hub.challenge', challenge);
    if (mode === 'subscribe') url.searchParams.append('hub.lease_seconds', String(wish.leaseSeconds));
    const reply = await this.backends.send({
      backend: 'subscriber',
      url: url.href,
      method: 'GET',
      headers: {},
      body: Body.empty(),
      timeoutMs: this.limits.verifyMs,
    });
    await reply.body.load();
    if (reply.status < 200 || reply.status > 299) throw new Error(`it answered ${reply.status} when it was asked`);
    if (new TextDecoder().decode(reply.body.bytes()).trim() !== challenge)
      throw new Error('it did not give the challenge back');
  }

  private async run(sub: Subscription): Promise<void> {
    let after: string | undefined;
    while (!sub.ended) {
      try {
        sub.listener = await this.topics.listen(sub.wish.topic, { after });
      } catch {
        await this.pause(sub, this.limits.firstWaitMs);
        continue;
      }
      after = await this.hear(sub, sub.listener, after);
    }
  }

  /** Until the listener ends: the subscription did, or it fell behind and begins anew behind the last event it had. */
  private async hear(sub: Subscription, listener: Listener, last: string | undefined): Promise<string | undefined> {
    let after = last;
    for (;;) {
      const left = sub.expiresMs - this.now();
      if (left <= 0) this.end(sub);
      const d = await listener.next(Math.max(1, Math.min(left, 60_000)));
      if (!d) {
        if (listener.ended || sub.ended) return after;
        continue;
      }
      if ('gap' in d) continue;
      after = d.event.id;
      const shaped = await sub.wish.shape(d).catch(() => undefined);
      if (shaped && 'event' in shaped) await this.tries(this.keep(sub, shaped.event));
      if (sub.ended) return after;
    }
  }

  private keep(sub: Subscription, event: TopicEvent): Kept {
    const { topic, callback } = sub.wish;
    const kept: Kept = {
      sub,
      event,
      view: { id: crypto.randomUUID(), topic: topic.name, callback, event: event.id, state: 'waiting', attempts: [] },
    };
    if (this.kept.length >= this.limits.deliveries) {
      const done = this.kept.findIndex((k) => k.view.state !== 'dead' && k.view.state !== 'waiting');
      this.kept.splice(Math.max(0, done), 1);
    }
    this.kept.push(kept);
    return kept;
  }

  private async tries(kept: Kept): Promise<void> {
    const { sub, view } = kept;
    for (let n = 1; !this.closed; n++) {
      const { wait, done } = await this.send(kept);
      if (done) {
        view.state = 'delivered';
        return;
      }
      // WebSub §7: 410 says that it wants no more.
      if (view.attempts.at(-1)?.status === 410) {
        view.state = 'ended';
        this.end(sub);
        return;
      }
      if (n >= sub.wish.attempts) {
        view.state = 'dead';
        return;
      }
      await this.pause(sub, Math.max(wait, waitOf(n, this.limits)));
      if (sub.ended) {
        view.state = 'ended';
        return;
      }
    }
  }

  private async send({ sub, event, view }: Kept): Promise<{ done: boolean; wait: number }> {
    const { wish } = sub;
    const structured = wish.topic.form === 'cloudevents';
    const bytes = structured ? new TextEncoder().encode(writeJson(toStructured(event))) : event.data.bytes();
    const at = new Date().toISOString();
    const began = this.now();
    let reply: BackendReply;
    try {
      reply = await this.backends.send({
        backend: 'subscriber',
        url: wish.callback,
        method: 'POST',
        headers: {
          'content-type': structured ? STRUCTURED : (event.data.mediaType ?? 'application/octet-stream'),
          link: linksOf(wish.hub, wish.self),
          ...(wish.secret !== undefined && { 'x-hub-signature': await signature(wish.secret, bytes) }),
        },
        body: Body.ofBytes(bytes, undefined),
        timeoutMs: this.limits.deliverMs,
      });
      await reply.body.load();
    } catch (error) {
      view.attempts.push({ at, ms: this.now() - began, failure: (error as Error).message });
      return { done: false, wait: 0 };
    }
    view.attempts.push({ at, ms: this.now() - began, status: reply.status });
    const asked = reply.headers['retry-after'];
    const wait =
      asked !== undefined && /^\d{1,5}$/.test(asked) ? Math.min(Number(asked) * 1000, this.limits.longestWaitMs) : 0;
    return { done: reply.status >= 200 && reply.status <= 299, wait };
  }

  private pause(sub: Subscription, ms: number): Promise<void> {
    if (sub.ended) return Promise.resolve();
    return new Promise((resolve) => {
      const done = (): void => {
        clearTimeout(timer);
        sub.wake = undefined;
        resolve();
      };
      const timer = setTimeout(done, ms);
      sub.wake = done;
    });
  }

  private end(sub: Subscription): void {
    sub.ended = true;
    sub.listener?.close();
    sub.wake?.();
    if (this.subscriptions.get(keyOf(sub.wish)) === sub) this.subscriptions.delete(keyOf(sub.wish));
  }
}

const keyOf = ({ topic, callback }: Pick<SubscriptionWish, 'topic' | 'callback'>): string =>
  `${topic.broker?.address ?? 'inside'} ${topic.address} ${callback}`;

/** Doubles with each failure, with a quarter of chance, so that subscribers that fell together are not called together. */
function waitOf(n: number, limits: { firstWaitMs: number; longestWaitMs: number }): number {
  return Math.min(limits.firstWaitMs * 2 ** (n - 1), limits.longestWaitMs) * (0.875 + Math.random() * 0.25);
}

/** WebSub §7.1: method=signature, the HMAC of the body in hexadecimal digits. */
async function signature(secret: string, body: Uint8Array): Promise<string> {
  const algorithm = { name: 'HMAC', hash: 'SHA-256' };
  const key = await crypto.subtle.importKey('raw', new TextEncoder().encode(secret), algorithm, false, ['sign']);
  const mac = new Uint8Array(await crypto.subtle.sign('HMAC', key, body as Uint8Array<ArrayBuffer>));
  return `sha256=${[...mac].map((b) => b.toString(16).padStart(2, '0')).join('')}`;
}
