import { isoNow } from '../iso';
import { readJson, writeJson } from '../codec/json';
import type { Backends, BackendReply } from '../flow/ports';
import { Body } from '../message/body';
import { refWith } from './family';
import { keyOf, shownTopic, signature } from './webhook-parts';
import { fromStructured, STRUCTURED, toStructured, type TopicEvent } from './event';
import { linksOf } from './hub-door';
import {
  WEBHOOK_LIMITS,
  type Attempt,
  type KeptDead,
  type KeptSubscription,
  type WebhookDelivery,
  type WebhookSubscription,
} from './webhook-views';
import { waitAfter } from './wait';
import type { Delivery, Listener, StopTaking, Subscribers, SubscriptionWish, Topics } from './ports';

interface Kept {
  view: { -readonly [K in keyof WebhookDelivery]: WebhookDelivery[K] } & { attempts: Attempt[] };
  readonly sub: Subscription;
  readonly event: TopicEvent;
  /** It was laid aside, and nobody has got it since: it is kept for the next process. */
  aside?: true;
}

/** Subscriptions of one topic to one callback: a later one takes the place of an earlier one (WebSub §5.1). */
interface Subscription {
  readonly wish: SubscriptionWish;
  /** Milliseconds since 1970. */
  readonly since: number;
  readonly until: number;
  listener?: Listener;
  stop?: StopTaking;
  ended: boolean;
  timer?: ReturnType<typeof setTimeout>;
  /** Ends a wait between two tries. */
  wake?: () => void;
}

/**
 * The hub of W3C WebSub: it asks before it sends (§5.3), sends events in their order to each subscriber by itself, one at a time, signs (§7.1), tries again with
 * longer and longer waits, and lays aside what nobody takes. One subscriber that is slow holds up no other. Subscriptions are kept by whoever gives `keep`; a broker
 * keeps the events of its topics until they were delivered or laid aside, and what was laid aside is kept with the subscription. Other deliveries live in this process.
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
    private readonly keep: (all: readonly KeptSubscription[]) => void | Promise<void> = () => undefined,
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

  get subscribed(): readonly WebhookSubscription[] {
    return [...this.subscriptions.values()].map(({ wish, since, until }) => ({
      ...(wish.api !== undefined && { api: wish.api }),
      ...shownTopic(wish.topic),
      callback: wish.callback,
      ...(wish.context.identity?.app && { app: wish.context.identity.app.name }),
      signed: wish.secret !== undefined,
      since: new Date(since).toISOString(),
      until: new Date(until).toISOString(),
    }));
  }

  /** Goes on with subscriptions of an earlier process; `complete` says what has become of their topic, undefined where it is gone. */
  restore(
    kept: readonly KeptSubscription[],
    complete: (k: KeptSubscription) => Pick<SubscriptionWish, 'topic' | 'shape' | 'context'> | undefined,
  ): void {
    for (const { dead, ...k } of kept) {
      const made = k.until > Date.now() ? complete(k) : undefined;
      if (!made || this.subscriptions.size >= this.limits.subscriptions) continue;
      const wish: SubscriptionWish = { ...k, ...made, leaseSeconds: Math.round((k.until - k.since) / 1000) };
      if (this.subscriptions.has(keyOf(wish))) continue;
      const sub = { wish, since: k.since, until: k.until, ended: false };
      for (const d of dead ?? []) this.restoreDead(sub, d);
      this.start(sub);
    }
    void this.save();
  }

  /** Those that are sent what comes from now on: a broker may take its time before it keeps for one. */
  get count(): number {
    let n = 0;
    for (const sub of this.subscriptions.values()) if (sub.stop || sub.listener) n++;
    return n;
  }

  /** Sends an event again that was laid aside; false where there is no such one. */
  resend(id: string): boolean {
    const kept = this.kept.find((k) => k.view.id === id);
    if (kept?.view.state !== 'dead') return false;
    kept.view.state = 'waiting';
    void this.tries(kept);
    return true;
  }

  /** What is subscribed stays so for the next process. */
  async close(): Promise<void> {
    this.closed = true;
    await Promise.all([...this.subscriptions.values()].map((sub) => this.leave(sub, false)));
  }

  private async begin(wish: SubscriptionWish): Promise<void> {
    if (this.subscriptions.size >= this.limits.subscriptions) throw new Error('too many are subscribed already');
    await this.verify('subscribe', wish);
    if (this.closed) return;
    const before = this.subscriptions.get(keyOf(wish));
    // The broker goes on keeping for the same subscriber.
    if (before) await this.leave(before, false);
    const since = Date.now();
    this.start({ wish, since, until: since + wish.leaseSeconds * 1000, ended: false });
    void this.save();
  }

  private start(sub: Subscription): void {
    this.subscriptions.set(keyOf(sub.wish), sub);
    void (sub.wish.topic.broker ? this.follow(sub) : this.run(sub));
  }

  private save(): void | Promise<void> {
    return this.keep(
      [...this.subscriptions.values()].map(({ wish, since, until }) => {
        const { topic, shape: _shape, leaseSeconds: _lease, ...rest } = wish;
        const key = keyOf(wish);
        const dead = this.kept
          .filter((k) => k.aside && keyOf(k.sub.wish) === key)
          .map(({ event, view }): KeptDead => ({
            id: view.id,
            event: writeJson(toStructured(event)),
            attempts: view.attempts,
          }));
        const values = topic.family?.given;
        return {
          ...rest,
          topic: topic.name,
          ...(values && { values }),
          since,
          until,
          ...(dead.length > 0 && { dead }),
        };
      }),
    );
  }

  private restoreDead(sub: Subscription, dead: KeptDead): void {
    try {
      const kept = this.keepOne(sub, fromStructured(readJson(dead.event)), dead.id);
      kept.view.attempts.push(...dead.attempts);
      this.layAside(kept);
    } catch (error) {
      this.log(`an event that was laid aside for ${sub.wish.callback} cannot be read: ${(error as Error).message}`);
    }
  }

  private layAside(kept: Kept): void {
    kept.view.state = 'dead';
    kept.aside = true;
  }

  /** Events of a broker: each is confirmed to it when it was delivered or laid aside. */
  private async follow(sub: Subscription): Promise<void> {
    const { topic, callback, api } = sub.wish;
    const group = `hook ${api ?? ''} ${callback}`;
    while (!sub.ended && !sub.stop) {
      try {
        sub.stop = await this.topics.consume(topic, group, (event) => this.takeOne(sub, event));
      } catch {
        await this.pause(sub, this.limits.firstWaitMs);
      }
    }
    // It ended while the broker was asked.
    if (sub.ended) await sub.stop?.(!this.closed);
    else this.watch(sub);
  }

  /** Ends it when its time is over. */
  private watch(sub: Subscription): void {
    const left = Math.min(Math.max(0, sub.until - Date.now()), LONGEST_TIMER_MS);
    sub.timer = setTimeout(() => (sub.until <= Date.now() ? this.end(sub) : this.watch(sub)), left);
    (sub.timer as { unref?: () => void }).unref?.();
  }

  /** What a filter or a map cannot be used for is not sent, and said. */
  private shapeOf(sub: Subscription, d: Delivery): Promise<Delivery | undefined> {
    return sub.wish.shape(d).catch((error: Error) => {
      this.log(`an event of ${sub.wish.topic.name} cannot be made for ${sub.wish.callback}: ${error.message}`);
      return undefined;
    });
  }

  private async takeOne(sub: Subscription, event: TopicEvent): Promise<void> {
    if (sub.ended) throw new Error('ended');
    const shaped = await this.shapeOf(sub, { event });
    if (!shaped || !('event' in shaped)) return;
    const kept = this.keepOne(sub, shaped.event);
    await this.tries(kept);
    // Neither delivered nor laid aside: the broker keeps it for whoever goes on.
    if (kept.view.state !== 'delivered' && kept.view.state !== 'dead') throw new Error('ended before it was delivered');
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
      const left = sub.until - Date.now();
      if (left <= 0) this.end(sub);
      const d = await listener.next(Math.max(1, Math.min(left, 60_000)));
      if (!d) {
        if (listener.ended || sub.ended) return after;
        continue;
      }
      if ('gap' in d) continue;
      after = d.event.id;
      const shaped = await this.shapeOf(sub, d);
      if (shaped && 'event' in shaped) await this.tries(this.keepOne(sub, shaped.event));
      if (sub.ended) return after;
    }
  }

  private keepOne(sub: Subscription, event: TopicEvent, id: string = crypto.randomUUID()): Kept {
    const { topic, callback, api } = sub.wish;
    const kept: Kept = {
      sub,
      event,
      view: {
        id,
        ...(api !== undefined && { api }),
        ...shownTopic(event.parameters && topic.family ? refWith(topic, event.parameters) : topic),
        callback,
        event: event.id,
        data: event.data.text().slice(0, SHOWN_CHARACTERS),
        state: 'waiting',
        attempts: [],
      },
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
        if (kept.aside) {
          kept.aside = undefined;
          await this.save();
        }
        return;
      }
      // WebSub §7: 410 says that it wants no more.
      if (view.attempts.at(-1)?.status === 410) {
        view.state = 'ended';
        this.end(sub);
        return;
      }
      if (n >= sub.wish.attempts) {
        this.layAside(kept);
        // Before the broker forgets it.
        await this.save();
        return;
      }
      await this.pause(sub, Math.max(wait, waitAfter(n, this.limits)));
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
    const at = isoNow();
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
    if (sub.ended) return;
    void this.leave(sub, true).then(() => this.save());
  }

  private async leave(sub: Subscription, forget: boolean): Promise<void> {
    sub.ended = true;
    sub.listener?.close();
    sub.wake?.();
    clearTimeout(sub.timer);
    if (this.subscriptions.get(keyOf(sub.wish)) === sub) this.subscriptions.delete(keyOf(sub.wish));
    await sub.stop?.(forget);
  }
}

/** Node takes no longer timer. */
const LONGEST_TIMER_MS = 2 ** 31 - 1;
/** Of the data of a delivery that is looked at. */
const SHOWN_CHARACTERS = 2000;
