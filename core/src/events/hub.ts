import { RATE_LIMITS, Rates, type TopicRate } from './rates';
import type { TopicEvent } from './event';
import { refAt } from './family';
import {
  BrokerFailure,
  type Brokers,
  type Delivery,
  type Listener,
  type ListenOptions,
  type Published,
  type PublishOptions,
  type StopTaking,
  type TopicRef,
  type Topics,
} from './ports';
import { eventFrom, payloadOf } from './wire';

export const EVENT_LIMITS = {
  /** Deliveries that wait for one listener; one that is further behind is cut off, and may come back with the id it had last. */
  waiting: 1000,
  /** Listeners in one gateway process. */
  listeners: 20_000,
  /** Keys of publishing that are remembered, and how long. */
  keys: 10_000,
  keysMs: 600_000,
  /** Topics of families that nobody listens to, and whose last events are kept all the same. */
  idle: 1000,
  tidyMs: 10_000,
  /** Events that are kept of all topics of families together. */
  familyEvents: 100_000,
} as const;

interface Hub {
  readonly ref: TopicRef;
  readonly kept: { readonly event: TopicEvent; readonly at: number }[];
  readonly listeners: Set<Line>;
  /** Ends the subscription at the broker. */
  end?: () => void;
  /** One of a family, when it was last used; there may be as many as callers think of. */
  used?: number;
  /** How many are about to listen. */
  coming: number;
  opening?: Promise<void>;
}

/** Topics of one gateway process: what is published, who listens, and the last events of each, so that a listener who was away misses nothing that is kept. */
export class TopicHubs implements Topics {
  private readonly hubs = new Map<string, Hub>();
  private readonly keys = new Map<string, { readonly at: number; readonly sent: Promise<Published> }>();
  private readonly rates = new Map<string, Rates>();
  /** The topic that was published to last, and what counts it. */
  private counted: { readonly topic: TopicRef; readonly rates: Rates } | undefined;
  /** Those of topics within this gateway that are listened to with parameters open, by their template. */
  private readonly filters = new Map<string, readonly Hub[]>();
  private keptOfFamilies = 0;
  private tidied = 0;
  private tidyAt: number = EVENT_LIMITS.idle;
  private listening = 0;

  constructor(
    private readonly brokers: Brokers | undefined,
    private readonly now: () => number,
    /** Milliseconds since 1970. */
    private readonly wall: () => number = Date.now,
  ) {}

  /** How much goes through a topic here, and how many listen. */
  rateOf(topic: TopicRef): TopicRate {
    const key = rateKey(topic);
    const hubs = topic.family
      ? [...this.hubs.values()].filter((h) => rateKey(h.ref) === key)
      : [this.hubs.get(key)].filter((h) => h !== undefined);
    return {
      topic: topic.name,
      listeners: hubs.reduce((sum, h) => sum + h.listeners.size, 0),
      rows: this.rates.get(key)?.rows() ?? [],
    };
  }

  private ratesOf(key: string): Rates {
    let rates = this.rates.get(key);
    if (!rates) {
      if (this.rates.size >= RATE_LIMITS.topics) this.rates.delete(this.rates.keys().next().value!);
      this.counted = undefined;
      this.rates.set(key, (rates = new Rates(this.wall)));
    }
    return rates;
  }

  publish(topic: TopicRef, event: TopicEvent, options: PublishOptions = {}): Promise<Published> {
    if (topic.family?.open) return Promise.reject(new BrokerFailure('some of its parameters have no value'));
    if (options.once === undefined) return this.send(topic, event);
    const key = `${keyOf(topic)} ${options.once}`;
    const now = this.now();
    for (const [k, v] of this.keys) {
      if (now - v.at < EVENT_LIMITS.keysMs && this.keys.size <= EVENT_LIMITS.keys) break;
      this.keys.delete(k);
    }
    const known = this.keys.get(key);
    if (known) return known.sent.then((p) => ({ ...p, repeated: true }));
    const sent = this.send(topic, event);
    this.keys.set(key, { at: now, sent });
    // What failed may be tried again under the same key.
    sent.catch(() => this.keys.delete(key));
    return sent;
  }

  private async send(topic: TopicRef, event: TopicEvent): Promise<Published> {
    // Refs of plain topics are the same object each time.
    const rates = topic === this.counted?.topic ? this.counted.rates : this.ratesOf(rateKey(topic));
    if (topic !== this.counted?.topic && !topic.family) this.counted = { topic, rates };
    if (topic.broker) {
      try {
        if (!this.brokers) throw new BrokerFailure('this gateway speaks to no brokers');
        const { payload, mediaType, properties } = payloadOf(topic, event);
        const { address, qos, retain } = topic;
        await this.brokers.publish(topic.broker, { payload, mediaType, properties, address, qos, retain });
      } catch (error) {
        rates.add('failed');
        throw error;
      }
    } else this.inside(topic, topic.family ? { ...event, parameters: topic.family.given } : event);
    rates.add('published');
    return { id: event.id };
  }

  async listen(topic: TopicRef, options: ListenOptions): Promise<Listener> {
    if (this.listening >= EVENT_LIMITS.listeners) throw new BrokerFailure('too many listen already');
    const hub = this.hub(topic);
    this.listening++;
    hub.coming++;
    try {
      await this.open(hub);
    } catch (error) {
      this.listening--;
      throw error;
    } finally {
      hub.coming--;
    }
    const rates = this.ratesOf(rateKey(topic));
    const line: Line = new Line(
      () => {
        this.listening--;
        hub.listeners.delete(line);
        if (hub.used !== undefined) hub.used = this.now();
      },
      () => rates.add('heard'),
    );
    this.forget(hub);
    const { kept } = hub;
    if (options.after !== undefined) {
      const at = kept.findLastIndex((k) => k.event.id === options.after);
      if (at < 0) line.put({ gap: `nothing is known here of an event ${options.after}; what is kept follows` });
      for (const k of kept.slice(at + 1)) line.put({ event: k.event });
    } else if (options.kept) for (const k of kept) line.put({ event: k.event });
    hub.listeners.add(line);
    return line;
  }

  async consume(topic: TopicRef, group: string, take: (e: TopicEvent) => Promise<void>): Promise<StopTaking> {
    if (topic.broker) {
      if (!this.brokers) throw new BrokerFailure('this gateway speaks to no brokers');
      return this.brokers.consume(topic.broker, topic.address, group, (m) =>
        take(eventFrom(refAt(topic, m.address), m)),
      );
    }
    const listener = await this.listen(topic, {});
    const work = (async () => {
      while (!listener.ended) {
        const d = await listener.next(60_000);
        // What fails here is lost: nobody keeps it.
        if (d && 'event' in d) await take(d.event).catch(() => undefined);
      }
    })();
    return async () => {
      listener.close();
      await work;
    };
  }

  /** Ends every listener and every subscription. */
  close(): void {
    for (const hub of this.hubs.values()) {
      for (const line of [...hub.listeners]) line.close();
      hub.end?.();
    }
    this.hubs.clear();
  }

  get count(): number {
    return this.listening;
  }

  private hub(ref: TopicRef): Hub {
    const key = keyOf(ref);
    let hub = this.hubs.get(key);
    if (hub) {
      if (hub.used !== undefined) hub.used = this.now();
      return hub;
    }
    const { family } = ref;
    if (family) this.tidy();
    hub = { ref, kept: [], listeners: new Set(), coming: 0, ...(family && { used: this.now() }) };
    this.hubs.set(key, hub);
    if (family?.open && !ref.broker) this.filters.set(family.template, [...this.filtersOf(family.template), hub]);
    return hub;
  }

  /** Topics of families are forgotten once nobody listens and nothing of them is kept any longer; the oldest also where they are many. */
  private tidy(): void {
    const now = this.now();
    const full = this.keptOfFamilies > EVENT_LIMITS.familyEvents;
    if (this.hubs.size < this.tidyAt && now - this.tidied < EVENT_LIMITS.tidyMs / (full ? 10 : 1)) return;
    this.tidied = now;
    const idle = [...this.hubs]
      .filter(([, h]) => h.used !== undefined && !h.listeners.size && !h.coming)
      .sort(([, a], [, b]) => a.used! - b.used!);
    const many = idle.length - EVENT_LIMITS.idle;
    idle.forEach(([key, h], n) => {
      if (n >= many && now - h.used! <= h.ref.keepMs && this.keptOfFamilies <= EVENT_LIMITS.familyEvents) return;
      this.hubs.delete(key);
      this.keptOfFamilies -= h.kept.length;
      h.used = undefined;
      const { template } = h.ref.family!;
      this.filters.set(
        template,
        this.filtersOf(template).filter((f) => f !== h),
      );
      h.end?.();
    });
    this.tidyAt = this.hubs.size + EVENT_LIMITS.idle / 2;
  }

  private filtersOf(template: string): readonly Hub[] {
    return this.filters.get(template) ?? [];
  }

  /** Events of a topic without a broker. */
  private inside(topic: TopicRef, event: TopicEvent): void {
    this.take(this.hub(topic), event);
    const { family } = topic;
    if (!family) return;
    for (const f of this.filtersOf(family.template))
      if (Object.entries(f.ref.family!.given).every(([n, v]) => family.given[n] === v)) this.take(f, event);
  }

  /** The subscription begins with the first listener and stays, so that one who comes back finds what was kept. */
  private open(hub: Hub): Promise<void> {
    const { broker, address } = hub.ref;
    if (!broker) return Promise.resolve();
    if (!this.brokers) return Promise.reject(new BrokerFailure('this gateway speaks to no brokers'));
    hub.opening ??= this.brokers
      .subscribe(broker, address, (m) => this.take(hub, eventFrom(refAt(hub.ref, m.address), m)))
      .then((end) => {
        hub.end = end;
      })
      .catch((error: unknown) => {
        hub.opening = undefined;
        throw error;
      });
    return hub.opening;
  }

  private take(hub: Hub, event: TopicEvent): void {
    hub.kept.push({ event, at: this.now() });
    if (hub.used !== undefined) this.keptOfFamilies++;
    this.forget(hub);
    if (hub.used !== undefined && this.keptOfFamilies > EVENT_LIMITS.familyEvents) {
      this.tidy();
      // All of the others are in use, or were until a moment ago: the one that grows keeps less.
      if ((hub.used as number | undefined) !== undefined && this.keptOfFamilies > EVENT_LIMITS.familyEvents)
        this.keptOfFamilies -= hub.kept.splice(0, 1).length;
    }
    for (const line of [...hub.listeners]) line.put({ event });
  }

  private forget(hub: Hub): void {
    const { kept, ref } = hub;
    const oldest = this.now() - ref.keepMs;
    let gone = Math.max(0, kept.length - ref.keepEvents);
    while (gone < kept.length && kept[gone]!.at < oldest) gone++;
    if (!gone) return;
    kept.splice(0, gone);
    if (hub.used !== undefined) this.keptOfFamilies -= gone;
  }
}

const keyOf = (t: TopicRef): string => `${t.broker ? t.broker.address : 'inside'} ${t.address}`;
/** Topics of one family are counted together. */
const rateKey = (t: TopicRef): string =>
  t.family ? `${t.broker ? t.broker.address : 'inside'} ${t.family.template}` : keyOf(t);

class Line implements Listener {
  private readonly waiting: Delivery[] = [];
  private wake: (() => void) | undefined;
  ended: 'closed' | 'behind' | undefined;

  constructor(
    private readonly gone: () => void,
    /** The listener took an event. */
    private readonly handed: () => void,
  ) {}

  put(d: Delivery): void {
    if (this.ended) return;
    if (this.waiting.length >= EVENT_LIMITS.waiting) {
      this.finish('behind');
      return;
    }
    this.waiting.push(d);
    this.wake?.();
  }

  async next(ms: number): Promise<Delivery | undefined> {
    if (!this.waiting.length && !this.ended) {
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, ms);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
      this.wake = undefined;
    }
    const next = this.waiting.shift();
    if (next && 'event' in next) this.handed();
    return next;
  }

  close(): void {
    this.finish('closed');
  }

  private finish(why: 'closed' | 'behind'): void {
    if (this.ended) return;
    this.ended = why;
    this.gone();
    this.wake?.();
  }
}

/** Topics of a rehearsal: an event is made and shown, and goes nowhere; nobody is there to listen to. */
export class HeldTopics implements Topics {
  publish(_topic: TopicRef, event: TopicEvent): Promise<Published> {
    return Promise.resolve({ id: event.id, held: true });
  }

  listen(): Promise<Listener> {
    const line = new Line(
      () => undefined,
      () => undefined,
    );
    line.close();
    return Promise.resolve(line);
  }

  consume(): Promise<StopTaking> {
    return Promise.resolve(() => Promise.resolve());
  }
}
