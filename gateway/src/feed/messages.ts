import type { CallersConfig, TopicRate, WebhookDelivery, WebhookSubscription } from '@hinge/core';
import type { GatewayConfig } from '../config';
import type { Rehearsed, RehearsalOrder } from '../rehearsals';
import type { StoreState, WhenAway } from '../stores/link';
import type { Trace } from '../telemetry/trace';

/** What the studio sends down the one stream, by event name. */
export interface FeedEvents {
  config: GatewayConfig;
  callers: CallersConfig;
  rehearse: RehearsalOrder & { readonly id: string };
  /** Forget what is remembered: all, or what stands under a tag. */
  forget: { readonly id: string; readonly tag?: string };
  /** What goes through the topics of an API, who is called back, and what became of the deliveries. */
  webhooks: { readonly id: string; readonly api: string };
  /** Send an event again that was laid aside. */
  resend: { readonly id: string; readonly delivery: string };
  ping: Record<string, never>;
}

/** What a gateway reports back. */
export type FeedReport =
  | { readonly kind: 'applied'; readonly revision: string }
  | { readonly kind: 'callers-applied'; readonly revision: string }
  | { readonly kind: 'revoked'; readonly tokens: readonly { readonly jti: string; readonly until: number }[] }
  | { readonly kind: 'refused'; readonly revision: string; readonly why: string }
  | ({ readonly kind: 'rehearsed'; readonly id: string } & Rehearsed)
  | { readonly kind: 'not-rehearsed'; readonly id: string; readonly why: string }
  | { readonly kind: 'forgotten'; readonly id: string; readonly count: number }
  | {
      readonly kind: 'webhooks';
      readonly id: string;
      readonly subscriptions: readonly WebhookSubscription[];
      readonly deliveries: readonly WebhookDelivery[];
      /** How much goes through each topic of the API here. */
      readonly rates: readonly TopicRate[];
    }
  | { readonly kind: 'resent'; readonly id: string; readonly done: boolean }
  | { readonly kind: 'not-forgotten'; readonly id: string; readonly why: string }
  /** Where calls are counted and replies remembered; told at the start of a stream and when it changes. */
  | { readonly kind: 'store'; readonly state: StoreState; readonly whenAway?: WhenAway }
  | { readonly kind: 'traces'; readonly traces: readonly Trace[] };
