import type { TopicEvent } from './event';
import { attributesOf } from './event';
import { BACKGROUND_LIMITS, type ConsumerDocument } from './background';
import { runnable } from '../steps/expression';
import type { Names } from '../expression/operators';
import { isJson } from '../message/headers';
import { holds } from './shape';
import { waitAfter } from './wait';

/** How one event went through an operation: a status as a caller would have got it. */
export interface Handled {
  readonly status: number;
  readonly words?: string;
}

export interface ConsumerWorld {
  /** Runs the operation with the event; rejects where it cannot be run at all. */
  run(event: TopicEvent): Promise<Handled>;
  /** Lays an event aside; rejects where that fails, and the event is tried again. */
  dead?(event: TopicEvent, last: Handled): Promise<void>;
  /** Resolves after so many milliseconds, or when it is stopped. */
  wait(ms: number): Promise<void>;
  readonly stopped: () => boolean;
  told(words: string): void;
}

/** Statuses that another try may change (RFC 9110 §15.5.9, RFC 6585 §4; the server's are its own doing). */
const mayChange = (status: number): boolean => status >= 500 || status === 408 || status === 425 || status === 429;

/** What is done with each event of a topic: it returns when the event needs nothing more, and the broker may forget it. */
export function consumerOf(document: ConsumerDocument, world: ConsumerWorld): (event: TopicEvent) => Promise<void> {
  const where = document.where === undefined ? undefined : runnable(document.where);
  const most = document.attempts ?? BACKGROUND_LIMITS.attempts;
  return async (event) => {
    if (where) {
      let wanted: unknown = true;
      try {
        wanted = await where.evaluate(new EventNames(event));
      } catch (error) {
        world.told(`the filter cannot be used for ${event.id}: ${(error as Error).message}`);
      }
      if (!holds(wanted)) return;
    }
    for (let n = 1; !world.stopped(); n++) {
      const handled = await world.run(event).catch((error: Error): Handled => ({ status: 500, words: error.message }));
      if (handled.status < 400) return;
      if (n < most && mayChange(handled.status)) {
        await world.wait(waitAfter(n, BACKGROUND_LIMITS));
        continue;
      }
      world.told(
        `${event.id} is laid aside after ${n} ${n === 1 ? 'try' : 'tries'}: ${handled.status} ${handled.words ?? ''}`.trim(),
      );
      if (!world.dead) return;
      try {
        await world.dead(event, handled);
        return;
      } catch (error) {
        // Neither used nor laid aside: it stays.
        world.told(`${event.id} cannot be laid aside: ${(error as Error).message}`);
        await world.wait(waitAfter(n, BACKGROUND_LIMITS));
      }
    }
    throw new Error('stopped before the event was done');
  };
}

class EventNames implements Names {
  readonly isNames = true;
  readonly names = ['body', 'event', 'parameters', 'headers'];

  constructor(private readonly event: TopicEvent) {}

  read(name: string): unknown {
    const { data } = this.event;
    if (name === 'body') return isJson(data.mediaType) ? data.value() : data.text();
    if (name === 'event') return attributesOf(this.event);
    if (name === 'parameters') return this.event.parameters;
    return name === 'headers' ? eventHeaders(this.event) : undefined;
  }
}

/** Attributes as HTTP fields (CloudEvents HTTP binding 1.0.2 §3.1.3). */
export function eventHeaders(event: TopicEvent): Record<string, string> {
  const out: Record<string, string> = { 'ce-specversion': '1.0' };
  for (const [name, value] of Object.entries(attributesOf(event))) out[`ce-${name}`] = encodeURI(value);
  return out;
}
