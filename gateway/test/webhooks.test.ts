import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import {
  Body,
  TopicHubs,
  Webhooks,
  newEvent,
  type FlowDocument,
  type KeptSubscription,
  type TopicRef,
} from '@hinge/core';
import { createHmac } from 'node:crypto';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { startGateway, HttpBackends, type RunningGateway } from '../src';
import { eventually } from './world';

/** A subscriber after the W3C Recommendation "WebSub" of 23 January 2018 (§5.3, §7), written from memory of its text. */
class Subscriber {
  readonly asked: URLSearchParams[] = [];
  readonly got: { body: string; headers: IncomingMessage['headers'] }[] = [];
  /** What the next deliveries are answered with; then 204. */
  answers: number[] = [];
  challenge: (asked: URLSearchParams) => string = (q) => q.get('hub.challenge') ?? '';
  delayMs = 0;
  private server: Server | undefined;
  url = '';

  async start(): Promise<this> {
    this.server = createServer((req, res) => {
      const url = new URL(req.url!, 'http://subscriber');
      if (req.method === 'GET') {
        this.asked.push(url.searchParams);
        res.end(this.challenge(url.searchParams));
        return;
      }
      let body = '';
      req.on('data', (d: Buffer) => (body += d.toString()));
      req.once('end', () =>
        setTimeout(() => {
          const status = this.answers.shift() ?? 204;
          this.got.push({ body, headers: req.headers });
          res.writeHead(status).end();
        }, this.delayMs),
      );
    });
    await new Promise<void>((resolve) => this.server!.listen(0, '127.0.0.1', resolve));
    this.url = `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
    return this;
  }

  stop(): Promise<void> {
    this.server!.closeAllConnections();
    return new Promise((resolve) => this.server!.close(() => resolve()));
  }
}

const open: Subscriber[] = [];
const subscriber = async (): Promise<Subscriber> => {
  const s = await new Subscriber().start();
  open.push(s);
  return s;
};
afterEach(async () => {
  for (const s of open.splice(0)) await s.stop();
});

describe('the hub of a door', () => {
  let gateway: RunningGateway;
  let base: string;
  let fixed: Subscriber;
  beforeAll(async () => {
    fixed = await new Subscriber().start();
    const document: FlowDocument = {
      hinge: 1,
      api: { name: 'Arrivals', version: '1' },
      doors: [
        {
          name: 'feed',
          path: '/a',
          answers: 'events',
          webhooks: { callbacks: [`${fixed.url}/hooks/`], leaseSeconds: 3600 },
        },
      ],
      topics: {
        berthed: {
          schema: { type: 'object', required: ['vessel'] },
          door: { where: 'body.vessel != "secret"', data: '{"ship": body.vessel}' },
        },
        left: { form: 'cloudevents' },
        kept: { door: { guards: [{ kind: 'key' }] } },
        unheard: { door: { listen: false } },
      },
      operations: {},
    };
    gateway = await startGateway({
      port: 0,
      controlPort: 0,
      config: { revision: 't', apis: [{ slug: 'a', document }] },
    });
    base = `http://127.0.0.1:${gateway.port}`;
  });
  afterAll(async () => {
    await gateway.stop();
    await fixed.stop();
  });
  const ask = (fields: Record<string, string>, type = 'application/x-www-form-urlencoded') =>
    fetch(`${base}/a/hub`, {
      method: 'POST',
      headers: { 'content-type': type },
      body: new URLSearchParams(fields).toString(),
    });
  const publish = (topic: string, data: unknown) =>
    fetch(`${base}/a/${topic}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(data),
    });
  const wish = (topic: string, more: Record<string, string> = {}) => ({
    'hub.mode': 'subscribe',
    'hub.topic': `${base}/a/${topic}`,
    'hub.callback': `${fixed.url}/hooks/me?from=tarnhaven`,
    ...more,
  });

  test('discovered, asked, verified, sent, signed, ended: the sequence of the Recommendation', async () => {
    // §4: the topic names its hub and itself.
    const link = (await fetch(`${base}/a/berthed?wait=0`)).headers.get('link')!;
    expect(link).toContain(`<${base}/a/hub>; rel="hub"`);
    expect(link).toContain(`<${base}/a/berthed>; rel="self"`);
    // §5.1.2
    expect((await ask(wish('berthed', { 'hub.secret': 'tide', 'hub.lease_seconds': '999999' }))).status).toBe(202);
    await eventually('the subscriber is asked', () => fixed.asked.length === 1);
    const asked = fixed.asked[0]!;
    expect(Object.fromEntries(asked)).toMatchObject({
      from: 'tarnhaven',
      'hub.mode': 'subscribe',
      'hub.topic': `${base}/a/berthed`,
      'hub.lease_seconds': '3600',
    });
    const control = async () =>
      (await (await fetch(`http://127.0.0.1:${gateway.controlPort}/webhooks`)).json()) as {
        subscriptions: number;
        deliveries: { state: string }[];
      };
    await eventually('it is subscribed', async () => (await control()).subscriptions === 1);
    expect((await publish('berthed', { vessel: 'secret' })).status).toBe(202);
    expect((await publish('berthed', { vessel: 'TV-40213' })).status).toBe(202);
    await eventually('the event comes', () => fixed.got.length === 1);
    const [{ body, headers }] = fixed.got as [Subscriber['got'][number]];
    expect(JSON.parse(body)).toEqual({ ship: 'TV-40213' });
    // §7: Link fields, content type of the topic; §7.1: the signature, made anew by Node's own HMAC.
    expect(headers.link).toBe(`<${base}/a/hub>; rel="hub", <${base}/a/berthed>; rel="self"`);
    expect(headers['content-type']).toBe('application/json');
    expect(headers['x-hub-signature']).toBe(`sha256=${createHmac('sha256', 'tide').update(body).digest('hex')}`);
    expect((await control()).deliveries).toMatchObject([
      { state: 'delivered', topic: 'berthed', attempts: [{ status: 204 }] },
    ]);
    // §5.1: mode unsubscribe, verified too.
    expect((await ask({ ...wish('berthed'), 'hub.mode': 'unsubscribe' })).status).toBe(202);
    await eventually('it is subscribed no more', async () => (await control()).subscriptions === 0);
    expect(fixed.asked.at(-1)!.get('hub.mode')).toBe('unsubscribe');
    await publish('berthed', { vessel: 'TV-2' });
    await new Promise((r) => setTimeout(r, 100));
    expect(fixed.got).toHaveLength(1);
  });

  test('a topic of CloudEvents sends them whole', async () => {
    fixed.got.length = 0;
    await ask(wish('left'));
    await eventually('it is asked', () => fixed.asked.at(-1)?.get('hub.topic') === `${base}/a/left`);
    await eventually('an event comes', async () => {
      await publish('left', { vessel: 'TV-3' });
      return fixed.got.length > 0;
    });
    expect(fixed.got[0]!.headers['content-type']).toContain('application/cloudevents+json');
    expect(JSON.parse(fixed.got[0]!.body)).toMatchObject({ specversion: '1.0', data: { vessel: 'TV-3' } });
  });

  test('who does not give the challenge back gets nothing', async () => {
    fixed.got.length = 0;
    fixed.challenge = () => 'yes';
    const before = fixed.asked.length;
    await ask(wish('berthed'));
    await eventually('it is asked', () => fixed.asked.length > before);
    await new Promise((r) => setTimeout(r, 100));
    await publish('berthed', { vessel: 'TV-4' });
    await new Promise((r) => setTimeout(r, 100));
    expect(fixed.got.filter((g) => g.body.includes('TV-4'))).toEqual([]);
    fixed.challenge = (q) => q.get('hub.challenge') ?? '';
  });

  test.each<[string, Record<string, string>, string]>([
    ['no mode', { 'hub.mode': '' }, 'hub.mode'],
    ['a topic of nobody', { 'hub.topic': 'http://127.0.0.1/nowhere' }, 'hub.topic'],
    ['a topic that is not heard', { 'hub.topic': '/a/unheard' }, 'hub.topic'],
    ['another host', { 'hub.callback': 'http://169.254.169.254/latest' }, 'hub.callback'],
    ['another path of the same host', { 'hub.callback': 'ORIGIN/hooksandmore' }, 'hub.callback'],
    ['a path that climbs out', { 'hub.callback': 'ORIGIN/hooks/../admin' }, 'hub.callback'],
    ['a user in the address', { 'hub.callback': 'http://a@ORIGIN/hooks/x' }, 'hub.callback'],
    ['another protocol', { 'hub.callback': 'file:///etc/passwd' }, 'hub.callback'],
    ['a lease that is no number', { 'hub.lease_seconds': 'long' }, 'hub.lease_seconds'],
    ['a secret of 200 bytes', { 'hub.secret': 'x'.repeat(200) }, 'hub.secret'],
  ])('%s is refused, and nobody is called', async (_name, fields, parameter) => {
    const before = fixed.asked.length;
    const own = Object.fromEntries(
      Object.entries(fields).map(([k, v]) => [
        k,
        v.replace('http://a@ORIGIN', fixed.url.replace('//', '//a@')).replace('ORIGIN', fixed.url),
      ]),
    );
    const r = await ask(wish('berthed', own));
    expect(r.status).toBe(400);
    expect(((await r.json()) as { errors: unknown }).errors).toMatchObject([{ parameter }]);
    expect(fixed.asked).toHaveLength(before);
  });

  test('guards of a topic stand before its subscribers too; what is no form is a 415', async () => {
    expect((await ask(wish('kept'))).status).toBe(401);
    expect((await ask(wish('berthed'), 'application/json')).status).toBe(415);
  });
});

describe('deliveries', () => {
  const ref: TopicRef = {
    name: 'berthed',
    address: 'berthed',
    form: 'plain',
    qos: 1,
    retain: false,
    keepEvents: 100,
    keepMs: 60_000,
    mediaType: 'application/json',
    source: '/a',
  };
  const now = () => performance.now();
  const closers: (() => Promise<void> | void)[] = [];
  afterEach(async () => {
    for (const c of closers.splice(0)) await c();
  });
  const world = (
    kept: (all: readonly KeptSubscription[]) => void = () => undefined,
    topics = new TopicHubs(undefined, now),
  ) => {
    const backends = new HttpBackends();
    const limits = {
      subscriptions: 10,
      verifyMs: 500,
      deliverMs: 1_000,
      firstWaitMs: 20,
      longestWaitMs: 60,
      deliveries: 50,
    };
    const hooks = new Webhooks(topics, backends, now, undefined, limits, kept);
    closers.push(
      () => hooks.close(),
      () => topics.close(),
      () => backends.close(),
    );
    const publish = (n: number) =>
      topics.publish(ref, newEvent(ref, Body.ofText(JSON.stringify({ n }), 'application/json')));
    const subscribe = async (s: Subscriber, attempts = 4) => {
      const count = hooks.count;
      hooks.subscribe({
        topic: ref,
        callback: `${s.url}/`,
        self: 'http://g/a',
        hub: 'http://g/hub',
        leaseSeconds: 60,
        attempts,
        context: { search: '', headers: {}, env: {} },
        shape: (d) => Promise.resolve(d),
      });
      await eventually('subscribed', () => hooks.count === count + 1);
    };
    return { hooks, publish, subscribe };
  };
  const numbers = (s: Subscriber) => s.got.map((g) => (JSON.parse(g.body) as { n: number }).n);

  test('a failure is tried again with waits, order stays; one that is slow or down holds up no other', async () => {
    const { hooks, publish, subscribe } = world();
    const [good, bad, slow] = [await subscriber(), await subscriber(), await subscriber()];
    bad.answers = [500, 503, 204];
    slow.delayMs = 250;
    for (const s of [good, bad, slow]) await subscribe(s);
    for (const n of [1, 2, 3]) await publish(n);
    await eventually('the good one has all', () => good.got.length === 3, 1000);
    expect(slow.got.length).toBeLessThan(3);
    await eventually('the others too', () => bad.got.length === 5 && slow.got.length === 3);
    expect(numbers(bad)).toEqual([1, 1, 1, 2, 3]);
    expect(numbers(slow)).toEqual([1, 2, 3]);
    const first = hooks.deliveries.find((d) => d.callback.startsWith(bad.url) && d.attempts.length === 3);
    expect(first).toMatchObject({ state: 'delivered', attempts: [{ status: 500 }, { status: 503 }, { status: 204 }] });
  });

  test('what nobody takes is laid aside, and sent again when somebody says so; 410 ends the subscription', async () => {
    const { hooks, publish, subscribe } = world();
    const s = await subscriber();
    await subscribe(s, 2);
    s.answers = [500, 500];
    await publish(1);
    await publish(2);
    await eventually('the second comes behind the dead first', () => numbers(s).at(-1) === 2);
    const dead = hooks.deliveries.find((d) => d.state === 'dead')!;
    expect(dead.attempts).toHaveLength(2);
    expect(hooks.resend('nobody')).toBe(false);
    expect(hooks.resend(dead.id)).toBe(true);
    await eventually('it comes', () => numbers(s).at(-1) === 1);
    await eventually(
      'it is told as delivered',
      () => hooks.deliveries.find((d) => d.id === dead.id)?.state === 'delivered',
    );
    expect(hooks.resend(dead.id)).toBe(false);
    s.answers = [410];
    await publish(3);
    await eventually('the subscription ends', () => hooks.count === 0);
  });

  test('what was laid aside is there in the next process, digit by digit, and is kept until somebody has it', async () => {
    let saved: readonly KeptSubscription[] = [];
    const keep = (all: readonly KeptSubscription[]) => void (saved = JSON.parse(JSON.stringify(all)) as typeof saved);
    const first = world(keep);
    const s = await subscriber();
    await first.subscribe(s, 1);
    s.answers = [503];
    await first.publish(1e300);
    await eventually('laid aside', () => saved[0]?.dead?.length === 1);
    const { id } = first.hooks.deliveries[0]!;
    await first.hooks.close();

    const next = world(keep);
    const damaged = { id: 'x', event: '{"specversion":', attempts: [] };
    const again = [{ ...saved[0]!, dead: [damaged, ...saved[0]!.dead!] }];
    const context = { search: '', headers: {}, env: {} };
    next.hooks.restore(again, () => ({ topic: ref, context, shape: (d) => Promise.resolve(d) }));
    expect(next.hooks.deliveries).toMatchObject([
      { id, state: 'dead', attempts: [{ status: 503 }], data: '{"n":1e+300}' },
    ]);
    s.got.length = 0;
    s.answers = [503];
    expect(next.hooks.resend(id)).toBe(true);
    await eventually('it failed again', () => next.hooks.deliveries[0]!.state === 'dead');
    expect(saved[0]!.dead).toHaveLength(1);
    expect(next.hooks.resend(id)).toBe(true);
    await eventually('it came', () => next.hooks.deliveries[0]!.state === 'delivered');
    expect(s.got.at(-1)!.body).toBe('{"n":1e+300}');
    expect(saved[0]!.dead).toBeUndefined();
  });

  test('a subscription counts when it is sent what comes, not while its topic is still being asked', async () => {
    const topics = new TopicHubs(undefined, now);
    let letGo!: () => void;
    const asked = new Promise<void>((resolve) => (letGo = resolve));
    const listen = topics.listen.bind(topics);
    topics.listen = (topic, options) => asked.then(() => listen(topic, options));
    const { hooks, publish, subscribe } = world(undefined, topics);
    const s = await subscriber();
    const subscribed = subscribe(s);
    await eventually('verified', () => hooks.subscribed.length === 1);
    expect(hooks.count).toBe(0);
    letGo();
    await subscribed;
    await publish(7);
    await eventually('it comes', () => numbers(s).at(-1) === 7);
  });

  test('a subscriber that never answers is a failure with words; the same again takes the place of the first', async () => {
    const { hooks, publish, subscribe } = world();
    const s = await subscriber();
    await subscribe(s, 1);
    hooks.subscribe({
      topic: ref,
      callback: `${s.url}/`,
      self: 'http://g/a',
      hub: 'http://g/hub',
      leaseSeconds: 60,
      attempts: 1,
      context: { search: '', headers: {}, env: {} },
      shape: (d) => Promise.resolve(d),
    });
    await eventually('asked twice', () => s.asked.length === 2);
    await new Promise((r) => setTimeout(r, 50));
    expect(hooks.count).toBe(1);
    s.delayMs = 2_500;
    await publish(1);
    await eventually('laid aside', () => hooks.deliveries[0]?.state === 'dead');
    expect(hooks.deliveries).toHaveLength(1);
    expect(hooks.deliveries[0]!.attempts[0]!.failure).toMatch(/1000 ms/);
  });
});
