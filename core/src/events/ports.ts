import type { TopicFamily } from './family';

/** What topics ask of a broker: one small port, one adapter for each protocol. Times in milliseconds. */

export interface BrokerRef {
  /** Name in the document, for words. */
  readonly name: string;
  /** E.g. mqtt://127.0.0.1:1883, nats://127.0.0.1:4222 */
  readonly address: string;
  /** Of MQTT: 4 is 3.1.1, 5 is 5. Undefined for another protocol. */
  readonly version?: 4 | 5;
}

const SCHEMES: Readonly<Record<string, 'mqtt' | 'nats'>> = {
  mqtt: 'mqtt',
  mqtts: 'mqtt',
  tcp: 'mqtt',
  ssl: 'mqtt',
  nats: 'nats',
  tls: 'nats',
};

/** What is spoken at an address; undefined: nothing that is spoken here. */
export const protocolOf = (address: string): 'mqtt' | 'nats' | undefined =>
  SCHEMES[/^([a-z]+):\/\/[^\s/]+/.exec(address)?.[1] ?? ''];

export interface BrokerMessage {
  readonly payload: Uint8Array;
  readonly mediaType?: string;
  /** User properties of MQTT 5, attributes of a CloudEvent in the header of NATS; there are none in MQTT 3.1.1. */
  readonly properties?: Readonly<Record<string, string>>;
  /** Where it came by; who subscribes by a filter wants to know. */
  readonly address?: string;
}

export interface BrokerPublish extends BrokerMessage {
  readonly address: string;
  /** 0: at most once, nothing is confirmed; 1: at least once, the broker confirms. */
  readonly qos: 0 | 1;
  readonly retain: boolean;
}

/** `forget`: for good, and nothing more is kept for this taker; otherwise it comes back. */
export type StopTaking = (forget: boolean) => Promise<void>;

export interface Brokers {
  /** Resolves when the broker has confirmed (QoS 1) or the bytes are on their way (QoS 0). Rejects with BrokerFailure. */
  publish(broker: BrokerRef, message: BrokerPublish): Promise<void>;
  /** `address` may be a filter. Resolves once the broker has taken the subscription; it outlives broken connections until it is ended. */
  subscribe(broker: BrokerRef, address: string, take: (m: BrokerMessage) => void): Promise<() => void>;
  /**
   * One of a group of takers: each message goes to one of them, one after the other, and is confirmed to the broker when `take` resolves. What
   * is not confirmed comes again, also to whoever takes the place of a taker that went. Returns how to stop.
   */
  consume(
    broker: BrokerRef,
    address: string,
    group: string,
    take: (m: BrokerMessage) => Promise<void>,
  ): Promise<StopTaking>;
}

export class BrokerFailure extends Error {
  constructor(message: string, options?: { cause?: unknown }) {
    super(message, options);
    this.name = 'BrokerFailure';
  }
}

/** A topic as it stands in one environment. */
export interface TopicRef {
  readonly name: string;
  /** Undefined: within this gateway. */
  readonly broker?: BrokerRef;
  /** At the broker; a filter where parameters of the family are open. */
  readonly address: string;
  /** Of a topic with parameters. */
  readonly family?: TopicFamily;
  readonly form: 'plain' | 'cloudevents';
  readonly qos: 0 | 1;
  readonly retain: boolean;
  readonly keepEvents: number;
  readonly keepMs: number;
  readonly mediaType: string;
  /** For events that say nothing of themselves. */
  readonly source: string;
}

export interface PublishOptions {
  /** The same key within ten minutes is the same event: it is not sent again. */
  readonly once?: string;
}

export interface Published {
  readonly id: string;
  /** Nothing was sent: this key had been seen. */
  readonly repeated?: boolean;
  /** Nothing was sent: this is a rehearsal. */
  readonly held?: boolean;
}

export type Delivery =
  | { readonly event: import('./event').TopicEvent }
  /** Events are missing before the next one. */
  | { readonly gap: string };

export interface ListenOptions {
  /** Id of the last event that the listener had. */
  readonly after?: string;
  /** Also what is kept, from its beginning. */
  readonly kept?: boolean;
}

/** Deliveries of one listener; ends when it is closed, or when it fell too far behind. */
export interface Listener {
  /** The next delivery; undefined after `ms` without one, and at the end. */
  next(ms: number): Promise<Delivery | undefined>;
  readonly ended: 'closed' | 'behind' | undefined;
  close(): void;
}

/** Subscribers that are called back; `webhooks.ts` is the one there is. */
export interface Subscribers {
  /** Begins to verify, and returns: the subscriber is asked before anything is sent to it (WebSub §5.3). */
  subscribe(wish: SubscriptionWish): void;
  unsubscribe(wish: Pick<SubscriptionWish, 'topic' | 'callback' | 'self'>): void;
}

export interface SubscriptionWish {
  /** Under which name the gateway runs the API. */
  readonly api?: string;
  readonly topic: TopicRef;
  readonly callback: string;
  /** Address of the topic and of the hub, as the subscriber knows them. */
  readonly self: string;
  readonly hub: string;
  readonly leaseSeconds: number;
  readonly secret?: string;
  readonly attempts: number;
  readonly context: import('./shape').ShapeContext;
  readonly shape: (d: Delivery) => Promise<Delivery | undefined>;
}

export interface Topics {
  publish(topic: TopicRef, event: import('./event').TopicEvent, options?: PublishOptions): Promise<Published>;
  listen(topic: TopicRef, options: ListenOptions): Promise<Listener>;
  /** As Brokers.consume; topics without a broker are heard from now on, in this process alone. */
  consume(
    topic: TopicRef,
    group: string,
    take: (event: import('./event').TopicEvent) => Promise<void>,
  ): Promise<StopTaking>;
}
