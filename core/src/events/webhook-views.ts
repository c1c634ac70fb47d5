import type { SubscriptionWish } from './ports';

/** What is known and told of subscriptions and their deliveries. */

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
  readonly api?: string;
  readonly topic: string;
  /** Of the parameters of the topic, in their order, parted by "/". */
  readonly values?: string;
  readonly callback: string;
  /** Id of the event, and how its data begins. */
  readonly event: string;
  readonly data: string;
  readonly state: 'waiting' | 'delivered' | 'dead' | 'ended';
  readonly attempts: readonly Attempt[];
}

/** Who is called back. */
export interface WebhookSubscription {
  readonly api?: string;
  readonly topic: string;
  /** Of the parameters that were given; empty where all are open. */
  readonly values?: string;
  readonly callback: string;
  /** Name of the app that asked for it. */
  readonly app?: string;
  /** What it gets is signed. */
  readonly signed: boolean;
  /** ISO 8601. */
  readonly since: string;
  readonly until: string;
}

/** A subscription as it outlives the process: what it was asked for, without what is made of the document. */
export type KeptSubscription = Omit<SubscriptionWish, 'topic' | 'shape' | 'leaseSeconds'> & {
  readonly topic: string;
  /** Given to the parameters of the topic. */
  readonly values?: Readonly<Record<string, string>>;
  /** Milliseconds since 1970. */
  readonly since: number;
  readonly until: number;
  /** What was laid aside, oldest first. */
  readonly dead?: readonly KeptDead[];
};

/** An event that no try could deliver. */
export interface KeptDead {
  /** Of the delivery. */
  readonly id: string;
  /** As JSON (CloudEvents JSON format 1.0.2 §3), digit by digit. */
  readonly event: string;
  readonly attempts: readonly Attempt[];
}
