import type { Delivery, Listener } from '../events/ports';
import { Body } from '../message/body';
import type { GraphResult } from './execute';
import type { GraphSubscription } from './service';

/** Results that wait for one subscriber; then the backend is made to wait. */
const WAITING = 100;

/** One result. */
export const RESULT_CHARS = 4 * 1024 * 1024;

/** Why results end before the backend completed them, in words for the subscriber. */
export class CutOff extends Error {}

export const following = (listener: Listener): GraphSubscription => ({
  listener,
  result: (d) => Promise.resolve(resultOf(d)),
});

export function readResult(text: string): GraphResult | undefined {
  let value: unknown;
  try {
    value = Body.ofText(text, 'application/json').value();
  } catch {
    return undefined;
  }
  const { data, errors } = (value ?? {}) as Record<string, unknown>;
  if (data === undefined && !Array.isArray(errors)) return undefined;
  return { ...(data !== undefined && { data }), ...(Array.isArray(errors) && { errors }) };
}

function resultOf(d: Delivery): GraphResult | undefined {
  if (!('event' in d)) return undefined;
  return readResult(d.event.data.text()) ?? { errors: [{ message: 'The backend sent a result that is none.' }] };
}

export const event = (text: string, id = ''): Delivery => ({
  event: { id, source: '/', type: 'next', data: Body.ofText(text, 'application/json') },
});

const charsOf = (d: Delivery): number => ('event' in d ? d.event.data.text().length : d.gap.length);

/** Results as they come, for one subscriber. */
export class Followed implements Listener {
  private readonly waiting: Delivery[] = [];
  private chars = 0;
  private over = false;
  private wake: (() => void) | undefined;
  private room: (() => void) | undefined;

  constructor(
    results: AsyncIterable<Delivery>,
    /** Of what the results come from. */
    private readonly end: () => void,
    private readonly name: string,
  ) {
    void this.pump(results);
  }

  get ended(): 'closed' | undefined {
    return this.over && !this.waiting.length ? 'closed' : undefined;
  }

  private async pump(results: AsyncIterable<Delivery>): Promise<void> {
    try {
      for await (const d of results) {
        if (this.over) break;
        this.put(d);
        while ((this.waiting.length >= WAITING || this.chars > RESULT_CHARS) && !this.over)
          await new Promise<void>((r) => (this.room = r));
      }
    } catch (error) {
      const message = error instanceof CutOff ? error.message : `The stream of ${this.name} was cut off.`;
      if (!this.over) this.put(event(JSON.stringify({ errors: [{ message, extensions: { code: 'HNG-504' } }] })));
    }
    this.close();
  }

  private put(d: Delivery): void {
    this.waiting.push(d);
    this.chars += charsOf(d);
    this.wake?.();
  }

  async next(ms: number): Promise<Delivery | undefined> {
    if (!this.waiting.length && !this.over)
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, ms);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    const next = this.waiting.shift();
    if (next) this.chars -= charsOf(next);
    this.room?.();
    return next;
  }

  close(): void {
    if (this.over) return;
    this.over = true;
    this.end();
    this.wake?.();
    this.room?.();
  }
}

/** One result, and the end. */
export class Once implements Listener {
  private left: string | undefined;

  constructor(text: string) {
    this.left = text;
  }

  get ended(): 'closed' | undefined {
    return this.left === undefined ? 'closed' : undefined;
  }

  next(): Promise<Delivery | undefined> {
    const text = this.left;
    this.left = undefined;
    return Promise.resolve(text === undefined ? undefined : event(text));
  }

  close(): void {
    this.left = undefined;
  }
}
