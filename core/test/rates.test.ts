import { describe, expect, test } from '@jest/globals';
import { allSpans, Body, newEvent, RATE_LIMITS, Rates, TopicHubs, topicRef, type Brokers, type TopicRef } from '../src';
import { BrokerFailure } from '../src/events/ports';
import { document } from './graph-world';

const SPAN = RATE_LIMITS.spanS * 1000;
const START = 1_796_000_000_000;

describe('counts of a topic', () => {
  test('stand in spans, and are gone after the last of them', () => {
    let now = START;
    const rates = new Rates(() => now);
    expect(rates.rows()).toEqual([]);
    rates.add('published');
    rates.add('published');
    rates.add('failed');
    now += SPAN;
    rates.add('heard');
    expect(rates.rows()).toEqual([
      { at: START, published: 2, failed: 1, heard: 0 },
      { at: START + SPAN, published: 0, failed: 0, heard: 1 },
    ]);
    // The place of the first span is taken by one that comes half an hour later, and begins with nothing.
    now = START + SPAN * RATE_LIMITS.spans;
    rates.add('published');
    expect(rates.rows()).toEqual([
      { at: START + SPAN, published: 0, failed: 0, heard: 1 },
      { at: now, published: 1, failed: 0, heard: 0 },
    ]);
    now += SPAN * RATE_LIMITS.spans * 3;
    expect(rates.rows()).toEqual([]);
  });

  test('of several gateways are added up, with the spans in which nothing happened', () => {
    const row = (at: number, published: number) => ({ at, published, failed: 0, heard: 2 });
    const spans = allSpans(
      [
        { topic: 't', listeners: 1, rows: [row(START, 1), row(START - SPAN, 4)] },
        { topic: 't', listeners: 0, rows: [row(START, 2), row(START - SPAN * RATE_LIMITS.spans, 9)] },
      ],
      START + 3,
    );
    expect(spans).toHaveLength(RATE_LIMITS.spans);
    expect(spans.slice(-3)).toEqual([
      { at: START - SPAN * 2, published: 0, failed: 0, heard: 0 },
      { at: START - SPAN, published: 4, failed: 0, heard: 2 },
      { at: START, published: 3, failed: 0, heard: 4 },
    ]);
    expect(spans.reduce((n, s) => n + s.published, 0)).toBe(7);
  });
});

describe('a gateway counts', () => {
  const ref = (broker?: string): TopicRef =>
    topicRef(
      document({
        topics: { arrivals: { ...(broker && { broker: 'b' }) } },
        ...(broker && { brokers: { b: { address: broker } } }),
      }),
      'arrivals',
      undefined,
    ) as TopicRef;
  const event = (t: TopicRef) => newEvent(t, Body.ofText('{}', 'application/json'));

  test('what is published, and what each listener took', async () => {
    const topics = new TopicHubs(
      undefined,
      () => 0,
      () => START,
    );
    const t = ref();
    const one = await topics.listen(t, {});
    const two = await topics.listen(t, {});
    for (let i = 0; i < 3; i++) await topics.publish(t, event(t));
    expect(topics.rateOf(t)).toEqual({
      topic: 'arrivals',
      listeners: 2,
      rows: [{ at: START, published: 3, failed: 0, heard: 0 }],
    });
    await one.next(0);
    await one.next(0);
    await two.next(0);
    // Nothing is taken twice, and waiting in vain is nothing.
    two.close();
    expect(topics.rateOf(t)).toMatchObject({ listeners: 1, rows: [{ published: 3, heard: 3 }] });
    topics.close();
  });

  test('what a broker did not take; the same key twice is one event', async () => {
    let away = true;
    const brokers = {
      publish: () => (away ? Promise.reject(new BrokerFailure('away')) : Promise.resolve()),
    } as unknown as Brokers;
    const topics = new TopicHubs(
      brokers,
      () => 0,
      () => START,
    );
    const t = ref('mqtt://127.0.0.1:1');
    await expect(topics.publish(t, event(t))).rejects.toThrow('away');
    away = false;
    await topics.publish(t, event(t), { once: 'k' });
    await topics.publish(t, event(t), { once: 'k' });
    expect(topics.rateOf(t).rows).toEqual([{ at: START, published: 1, failed: 1, heard: 0 }]);
  });
});
