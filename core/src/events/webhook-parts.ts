import { valueWords } from './family';
import type { SubscriptionWish, TopicRef } from './ports';

/** A topic with parameters is told with its values. */
export const shownTopic = ({ name, family }: TopicRef): { topic: string; values?: string } => ({
  topic: name,
  ...(family && { values: valueWords(family) }),
});

/** A later subscription of one topic to one callback takes the place of an earlier one. */
export const keyOf = ({ topic, callback }: Pick<SubscriptionWish, 'topic' | 'callback'>): string =>
  `${topic.broker?.address ?? 'inside'} ${topic.address} ${callback}`;

/** WebSub §7.1: method=signature, the HMAC of the body in hexadecimal digits. */
export async function signature(secret: string, body: Uint8Array): Promise<string> {
  const algorithm = { name: 'HMAC', hash: 'SHA-256' };
  const key = await crypto.subtle.importKey('raw', new TextEncoder().encode(secret), algorithm, false, ['sign']);
  const mac = new Uint8Array(await crypto.subtle.sign('HMAC', key, body as Uint8Array<ArrayBuffer>));
  return `sha256=${[...mac].map((b) => b.toString(16).padStart(2, '0')).join('')}`;
}
