'use client';
import type { TopicRate, WebhookDelivery, WebhookSubscription } from '@hinge/core';
import { useCallback, useEffect, useState } from 'react';
import { send } from '../../lib/client';

export type At<T> = T & { readonly gateway: string };

/** What the gateways of an environment say of the topics of an API. */
export interface Told {
  readonly subscriptions: readonly At<WebhookSubscription>[];
  readonly deliveries: readonly At<WebhookDelivery>[];
  readonly rates: readonly At<TopicRate>[];
  /** When they said it, milliseconds since 1970. */
  readonly now: number;
}

export interface News {
  readonly told?: Told;
  /** Why nobody says anything now. */
  readonly away?: string;
  readonly look: () => Promise<void>;
}

const EVERY_MS = 3000;

/** Asked when the page has been drawn, then every few seconds while it is looked at. */
export function useNews(slug: string, environment: string): News {
  const [told, setTold] = useState<Told>();
  const [away, setAway] = useState<string>();
  const look = useCallback(async () => {
    try {
      const said = await send<Omit<Told, 'now'>>(
        'GET',
        `/api/apis/${slug}/webhooks?in=${encodeURIComponent(environment)}`,
      );
      setTold({ ...said, now: Date.now() });
      setAway(undefined);
    } catch (error) {
      setAway((error as Error).message);
    }
  }, [slug, environment]);
  useEffect(() => {
    const first = setTimeout(() => void look(), 0);
    const timer = setInterval(() => {
      if (document.visibilityState === 'visible') void look();
    }, EVERY_MS);
    return () => {
      clearTimeout(first);
      clearInterval(timer);
    };
  }, [look]);
  return { told, away, look };
}
