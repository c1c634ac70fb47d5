import { describe, expect, test } from '@jest/globals';
import {
  Body,
  changeEvent,
  checkDocument,
  consumerOf,
  newEvent,
  pollerOf,
  type FlowDocument,
  type Handled,
  type TopicEvent,
} from '../src';

const document = (more: Partial<FlowDocument>): FlowDocument => ({
  hinge: 1,
  api: { name: 'Port', version: '1' },
  doors: [{ name: 'feed', path: '/feed', answers: 'events', webhooks: { callbacks: ['http://a.example/'] } }],
  topics: { arrived: {}, dead: {} },
  operations: {
    book: { method: 'POST', path: '/book', flow: [{ kind: 'publish', topic: 'arrived' }] },
    look: { method: 'GET', path: '/look', flow: [{ kind: 'publish', topic: 'arrived' }] },
    one: {
      method: 'GET',
      path: '/one/{id}',
      parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
      flow: [{ kind: 'publish', topic: 'arrived' }],
    },
  },
  ...more,
});
const errors = (more: Partial<FlowDocument>) =>
  checkDocument(document(more)).flatMap((f) => (f.severity === 'error' ? [`${f.place.pointer}: ${f.message}`] : []));

describe('findings', () => {
  test('none where all is there', () => {
    expect(
      errors({
        consumers: { c: { topic: 'arrived', operation: 'book', dead: 'dead', where: 'body.a = 1' } },
        polls: { p: { operation: 'look', everySeconds: 60, topic: 'arrived', key: 'id' } },
      }),
    ).toEqual([]);
  });

  test.each<[string, Partial<FlowDocument>, string]>([
    [
      'a topic',
      { consumers: { c: { topic: 'no', operation: 'book' } } },
      '/consumers/c/topic: the consumer c names the topic no',
    ],
    [
      'an operation',
      { consumers: { c: { topic: 'arrived', operation: 'no' } } },
      '/consumers/c/operation: the consumer c names the operation no, which does not exist',
    ],
    [
      'parameters',
      { consumers: { c: { topic: 'arrived', operation: 'one' } } },
      '/consumers/c/operation: the consumer c cannot give one what it needs: id',
    ],
    [
      'a circle',
      { consumers: { c: { topic: 'arrived', operation: 'book', dead: 'arrived' } } },
      '/consumers/c/dead: the consumer c lays events aside in the topic that it takes them from',
    ],
    [
      'an expression',
      { consumers: { c: { topic: 'arrived', operation: 'book', where: 'body.' } } },
      '/consumers/c/where: "body."',
    ],
    [
      'an unsafe poll',
      { polls: { p: { operation: 'book', everySeconds: 9, topic: 'arrived' } } },
      '/polls/p/operation: the poll p calls book, which is no safe operation',
    ],
    [
      'a poll to nowhere',
      { polls: { p: { operation: 'look', everySeconds: 9, topic: 'no' } } },
      '/polls/p/topic: the poll p names the topic no',
    ],
    [
      'two on one path',
      { topics: { arrived: { door: { callback: { path: '/hub', guards: [{ kind: 'key' }] } } }, dead: {} } },
      '/topics/arrived/door/callback/path: the callback of arrived and the hub both have the path /hub',
    ],
  ])('%s', (_name, more, words) => {
    expect(errors(more).some((e) => e.startsWith(words))).toBe(true);
  });
});

const event = (id: string, data: unknown = {}): TopicEvent => ({
  ...newEvent({ name: 'arrived', source: '/Port' }, Body.ofText(JSON.stringify(data), 'application/json')),
  id,
});

describe('a consumer', () => {
  const made = (answers: (Handled | Error)[], more: object = {}, dead = true) => {
    const seen = { runs: 0, waits: [] as number[], dead: [] as string[], told: [] as string[], stopped: false };
    const take = consumerOf(
      { topic: 'arrived', operation: 'book', attempts: 3, ...more },
      {
        run: () => {
          seen.runs++;
          const next = answers.shift() ?? { status: 200 };
          return next instanceof Error ? Promise.reject(next) : Promise.resolve(next);
        },
        ...(dead && {
          dead: (e: TopicEvent) => {
            seen.dead.push(e.id);
            return Promise.resolve();
          },
        }),
        wait: (ms) => {
          seen.waits.push(ms);
          return Promise.resolve();
        },
        stopped: () => seen.stopped,
        told: (words) => void seen.told.push(words),
      },
    );
    return { take, seen };
  };

  test('waits longer and longer between tries of what may change', async () => {
    const { take, seen } = made([{ status: 503 }, { status: 429 }]);
    await take(event('a'));
    expect(seen.runs).toBe(3);
    expect(seen.waits[1]! / seen.waits[0]!).toBeGreaterThan(1.5);
    expect(seen.dead).toEqual([]);
  });

  test('an operation that cannot be run at all is a failure like any other', async () => {
    const { take, seen } = made([new Error('it is gone'), new Error('it is gone'), new Error('it is gone')]);
    await take(event('a'));
    expect([seen.runs, seen.dead]).toEqual([3, ['a']]);
    expect(seen.told[0]).toContain('it is gone');
  });

  test('without a topic for what is dead it says so and goes on; stopped, it confirms nothing', async () => {
    const { take, seen } = made([{ status: 400, words: 'wrong' }], {}, false);
    await take(event('a'));
    expect(seen.told).toEqual(['a is laid aside after 1 try: 400 wrong']);
    seen.stopped = true;
    await expect(take(event('b'))).rejects.toThrow('stopped');
  });

  test('a filter that fails lets the event in: nothing is lost by a mistake', async () => {
    const { take, seen } = made([], { where: '$number(body.n) > 1' });
    await take(event('a', { n: 'x' }));
    await take(event('b', { n: 0 }));
    expect(seen.runs).toBe(1);
    expect(seen.told[0]).toContain('the filter cannot be used for a');
  });
});

describe('a poll', () => {
  const poll = pollerOf({
    operation: 'look',
    everySeconds: 9,
    topic: 'arrived',
    items: 'list',
    key: 'id',
    version: 'v',
  });

  test('tells what is new and what is changed, not what is gone or the same', async () => {
    const first = await poll(
      {
        list: [
          { id: 'a', v: 1 },
          { id: 'b', v: 1 },
        ],
      },
      undefined,
    );
    expect(first.changes).toEqual([]);
    const second = await poll(
      {
        list: [
          { id: 'a', v: 2, more: 1 },
          { id: 'c', v: 1 },
        ],
      },
      first.seen,
    );
    expect(second.changes.map((c) => [c.kind, c.key])).toEqual([
      ['changed', 'a'],
      ['new', 'c'],
    ]);
    // b came back: it is new again.
    const third = await poll(
      {
        list: [
          { id: 'b', v: 1 },
          { id: 'a', v: 2 },
        ],
      },
      second.seen,
    );
    expect(third.changes.map((c) => c.key)).toEqual(['b']);
  });

  test('none, one and something else than a list', async () => {
    expect((await poll({}, new Map())).changes).toEqual([]);
    expect((await poll({ list: { id: 'one', v: 1 } }, new Map())).changes).toHaveLength(1);
    const whole = pollerOf({ operation: 'look', everySeconds: 9, topic: 'arrived', first: 'all' });
    expect((await whole({ deep: 'x'.repeat(500) }, undefined)).changes).toHaveLength(1);
    expect((await whole('text', undefined)).changes[0]).toMatchObject({ value: 'text' });
  });

  test('the same change has the same id wherever it is seen', async () => {
    const change = { key: 'a', version: '2', kind: 'changed' as const, value: 1, given: {} };
    const [one, two, other] = await Promise.all([
      changeEvent('/Port', 'arrived', 'p', change),
      changeEvent('/Port', 'arrived', 'p', change),
      changeEvent('/Port', 'arrived', 'p', { ...change, version: '3' }),
    ]);
    expect(one!.id).toBe(two!.id);
    expect(other!.id).not.toBe(one!.id);
    expect(one).toMatchObject({ type: 'arrived.changed', subject: 'a' });
  });
});
