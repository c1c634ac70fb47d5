import { beforeEach, describe, expect, test } from '@jest/globals';
import {
  Body,
  checkDocument,
  compileApi,
  HeldTopics,
  rehearse,
  topicRef,
  TopicHubs,
  type EventStream,
  type FlowDocument,
  type Incoming,
  type TopicRef,
} from '../src';
import { drain, event, FakeBroker } from './event-world';

let now = 0;
let broker: FakeBroker;
let hubs: TopicHubs;
beforeEach(() => {
  now = 0;
  broker = new FakeBroker();
  hubs = new TopicHubs(broker, () => now);
});

const document = (more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Arrivals', version: '1' },
  doors: [{ name: 'feed', path: '/arrivals', answers: 'events' }],
  topics: {
    berthed: {
      schema: {
        type: 'object',
        properties: { vessel: { type: 'string' }, tons: { type: 'integer' } },
        required: ['vessel'],
      },
    },
  },
  operations: {},
  ...more,
});

async function ask(
  method: 'GET' | 'POST',
  given: { d?: FlowDocument; path?: string; search?: string; body?: string; headers?: Record<string, string> } = {},
) {
  const { d = document(), path = '/berthed', search = '', body, headers = {} } = given;
  const entry = compileApi(d)
    .operations.get('feed')!
    .find((o) => o.method === method && o.path === path)!;
  const type = headers['content-type'] ?? 'application/json';
  const outcome = await entry.handle(
    {
      ...{ method, url: `/arrivals${path}`, path: {}, query: {}, search, rest: '' },
      headers: { ...(body !== undefined && { 'content-type': type }), ...headers },
      body: body === undefined ? Body.empty() : Body.ofText(body, type),
    },
    {
      ports: { clock: { now: () => now }, backends: { send: () => Promise.reject(new Error('none')) }, topics: hubs },
      env: {},
      traceId: 't',
      outbound: {},
    },
  );
  const { reply } = outcome;
  const json = !reply.body.pending && /json/.test(reply.headers['content-type'] ?? '');
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- looked at from outside
  const value = json ? (reply.body.value() as any) : undefined;
  return {
    status: reply.status,
    headers: reply.headers,
    stream: reply.body.stream,
    body: value,
  };
}
const texts = async (stream: unknown, count: number): Promise<string[]> => {
  const out: string[] = [];
  for await (const t of stream as EventStream) {
    out.push(t);
    if (out.length === count) break;
  }
  return out;
};

describe('a door of events', () => {
  test('POST publishes what fits the schema; every fault of what does not is told', async () => {
    const listener = await hubs.listen(topicRef(document(), 'berthed', undefined) as TopicRef, {});
    const ok = await ask('POST', { body: '{"vessel":"Whimbrel","tons":5}' });
    expect(ok).toMatchObject({ status: 202, body: { topic: 'berthed' } });
    expect(await drain(listener)).toEqual([ok.body.id]);
    const bad = await ask('POST', { body: '{"tons":"many"}' });
    expect(bad).toMatchObject({ status: 400, body: { type: '/problems/hng-404' } });
    expect(bad.body.errors).toHaveLength(2);
    expect((await ask('POST', { body: '{"vessel"' })).body.type).toBe('/problems/hng-403');
    expect((await ask('POST')).body.errors[0].detail).toContain('a body is needed');
    expect((await ask('POST', { body: 'x', headers: { 'content-type': 'text/plain' } })).status).toBe(415);
    expect(await drain(listener)).toEqual([]);
  });

  test('a batch is taken whole or not at all; an Idempotency-Key makes a repeated request the same', async () => {
    const listener = await hubs.listen(topicRef(document(), 'berthed', undefined) as TopicRef, {});
    const ce = (id: string, data: unknown) => ({ specversion: '1.0', id, source: '/x', type: 't', data });
    const batch = (...all: unknown[]) =>
      ask('POST', { body: JSON.stringify(all), headers: { 'content-type': 'application/cloudevents-batch+json' } });
    expect((await batch(ce('1', { vessel: 'A' }), ce('2', { vessel: 'B' }))).body.ids).toEqual(['1', '2']);
    const half = await batch(ce('3', { vessel: 'A' }), ce('4', {}));
    expect(half.body.errors[0].pointer).toMatch(/^\/1\/data/);
    expect((await batch({ specversion: '1.0' })).body.errors[0].pointer).toBe('/0/id');
    expect(await drain(listener)).toEqual(['1', '2']);
    const again = () => ask('POST', { body: '{"vessel":"A"}', headers: { 'idempotency-key': 'k1' } });
    expect((await again()).body.id).toBe((await again()).body.id);
    expect(await drain(listener)).toHaveLength(1);
  });

  test('GET as a stream: HTML Standard §9.2, a field for each line, the id to come back with', async () => {
    const r = await ask('GET', { headers: { accept: 'text/event-stream' } });
    expect([r.status, r.headers['content-type'], r.headers['cache-control']]).toEqual([
      200,
      'text/event-stream; charset=utf-8',
      'no-store',
    ]);
    await hubs.publish(topicRef(document(), 'berthed', undefined) as TopicRef, {
      ...event('E 1'),
      data: Body.ofText('{\n"a":1}', 'application/json'),
    });
    expect(await texts(r.stream, 2)).toEqual(['retry: 2000\n\n', 'id: E 1\ndata: {\ndata: "a":1}\n\n']);
    expect(hubs.count).toBe(0);
    const unread = await ask('GET', { headers: { accept: 'text/event-stream' } });
    (unread.stream as EventStream).close();
    expect(hubs.count).toBe(0);
    const back = await ask('GET', { headers: { accept: 'text/event-stream', 'last-event-id': 'never' } });
    expect((await texts(back.stream, 3))[1]).toMatch(/^event: gap\ndata: /);
  });

  test('events that are CloudEvents travel as such; a socket is asked for by Upgrade', async () => {
    const d = document({ topics: { berthed: { form: 'cloudevents' } } });
    const stream = await ask('GET', { d, headers: { accept: 'text/event-stream' } });
    const socket = await ask('GET', { d, headers: { upgrade: 'websocket' } });
    expect(socket.status).toBe(101);
    await ask('POST', { d, body: '{"vessel":"A"}' });
    const [, text] = await texts(stream.stream, 2);
    expect(JSON.parse(/data: (.*)/.exec(text!)![1]!)).toMatchObject({
      specversion: '1.0',
      type: 'berthed',
      data: { vessel: 'A' },
    });
    expect(JSON.parse((await texts(socket.stream, 1))[0]!)).toMatchObject({ source: '/Arrivals' });
  });

  test('GET that waits: kept events at once, a link to go on with, 204 when there is nothing', async () => {
    const none = await ask('GET');
    expect([none.status, none.headers.link]).toEqual([204, '<?wait=30>; rel="next"']);
    await ask('POST', { body: '{"vessel":"A"}' });
    const some = await ask('GET', { search: '?wait=5' });
    expect([some.status, some.headers['content-type'], some.body.length]).toEqual([
      200,
      'application/cloudevents-batch+json',
      1,
    ]);
    const after = `?wait=0&after=${some.body[0].id}`;
    expect(some.headers.link).toContain(`after=${some.body[0].id}`);
    expect((await ask('GET', { search: after })).status).toBe(204);
    expect((await ask('GET', { search: '?wait=long' })).status).toBe(400);
    const gap = await ask('GET', { search: '?after=gone' });
    expect([gap.status, gap.headers['event-gap']]).toEqual([200, '1']);
    expect(hubs.count).toBe(0);
  });

  test('a channel may filter and change what listeners get; it may be closed for one of both ways', async () => {
    const d = document({
      topics: {
        berthed: {
          door: {
            path: '/heavy',
            where: 'body.tons > 100',
            data: '{"ship": body.vessel, "kind": event.type}',
            publish: false,
          },
        },
      },
    });
    const ref = topicRef(d, 'berthed', undefined) as TopicRef;
    await hubs.publish(ref, event('1', { vessel: 'A', tons: 5 }));
    await hubs.publish(ref, event('2', { vessel: 'B', tons: 500 }));
    const r = await ask('GET', { d, path: '/heavy' });
    expect(r.body).toMatchObject([{ id: '2', data: { ship: 'B', kind: 'berthed' } }]);
    expect(
      compileApi(d)
        .operations.get('feed')!
        .map((o) => o.method),
    ).toEqual(['GET']);
  });

  test('guards of API, door and channel act; a broker that is away is 503 and nothing is taken', async () => {
    const d = document({ topics: { berthed: { door: { guards: [{ kind: 'key' }] } } } });
    expect((await ask('GET', { d })).status).toBe(401);
    expect((await ask('POST', { d, body: '{}' })).status).toBe(401);
    broker.down = true;
    const far = document({
      brokers: { town: { address: 'mqtt://town.example' } },
      topics: { berthed: { broker: 'town' } },
    });
    for (const method of ['GET', 'POST'] as const) {
      const r = await ask(method, { d: far, ...(method === 'POST' && { body: '{"vessel":"A"}' }) });
      expect(r).toMatchObject({ status: 503, body: { type: '/problems/hng-510' } });
      expect(JSON.stringify(r.body)).not.toContain('town.example');
    }
    const nowhere = document({ brokers: { town: {} }, topics: { berthed: { broker: 'town' } } });
    expect((await ask('POST', { d: nowhere, body: '{}' })).body.type).toBe('/problems/hng-511');
  });
});

describe('the step publish', () => {
  const flowed = (flow: FlowDocument['operations'][string]['flow']): FlowDocument =>
    document({ operations: { announce: { method: 'POST', path: '/announce', flow } } });
  const incoming = (body: string): Incoming => ({
    ...{ method: 'POST', url: '/announce', path: {}, query: {}, search: '', rest: '' },
    headers: { 'content-type': 'application/json' },
    body: Body.ofText(body, 'application/json'),
  });
  const run = (d: FlowDocument, body: string, topics: TopicHubs | HeldTopics = hubs) =>
    rehearse(compileApi(d).inside.get('announce')!, incoming(body), {
      ports: { clock: { now: () => now }, backends: { send: () => Promise.reject(new Error('none')) }, topics },
      env: {},
      traceId: 't',
      outbound: {},
    });

  test('makes the event by expressions, and the reply 202 with its id', async () => {
    const listener = await hubs.listen(topicRef(document(), 'berthed', undefined) as TopicRef, {});
    const d = flowed([
      {
        kind: 'publish',
        topic: 'berthed',
        data: '{"vessel": body.ship}',
        id: 'body.number',
        type: '"port.berthed"',
        subject: 'body.ship',
      },
    ]);
    const r = await run(d, '{"ship":"Whimbrel","number":7}');
    expect([r.reply.status, r.reply.text]).toEqual([202, '{"id":"7","topic":"berthed"}']);
    const got = await listener.next(0);
    expect(got).toMatchObject({ event: { id: '7', type: 'port.berthed', subject: 'Whimbrel' } });
    expect('event' in got! && got.event.data.value()).toEqual({ vessel: 'Whimbrel' });
  });

  test('may leave the message as it was; a rehearsal shows the event and sends none', async () => {
    const d = flowed([
      { kind: 'publish', topic: 'berthed', answer: false },
      { kind: 'reply', status: 200, from: 'body.vessel' },
    ]);
    const listener = await hubs.listen(topicRef(document(), 'berthed', undefined) as TopicRef, {});
    const r = await run(d, '{"vessel":"A"}', new HeldTopics());
    expect([r.reply.status, r.reply.text]).toEqual([200, '"A"']);
    expect(r.steps[0]!.notes).toMatchObject({ topic: 'berthed', held: true, data: '{"vessel":"A"}' });
    expect(await drain(listener)).toEqual([]);
  });

  test("data that breaks the topic's schema is the caller's fault where the caller sent it, else the flow's", async () => {
    expect((await run(flowed([{ kind: 'publish', topic: 'berthed' }]), '{}')).error?.code).toBe('HNG-404');
    const made = await run(flowed([{ kind: 'publish', topic: 'berthed', data: '{"tons": 1}' }]), '{}');
    expect([made.error?.code, made.error?.inner]).toEqual(['HNG-422', expect.stringContaining('vessel')]);
  });
});

describe('findings', () => {
  const codes = (d: FlowDocument) => checkDocument(d).map((f) => `${f.code} ${f.place.pointer}`);
  test('topics, brokers, addresses, paths and expressions', () => {
    expect(codes(document())).toEqual([]);
    expect(
      codes(
        document({
          brokers: { a: {}, b: { address: 'http://x' } },
          topics: {
            one: { broker: 'a', door: { path: '/same' } },
            two: { broker: 'b', door: { path: '/same', where: 'body.' } },
            three: { broker: 'none' },
          },
          operations: { o: { method: 'POST', path: '/o', flow: [{ kind: 'publish', topic: 'four', data: 'bodi.x' }] } },
        }),
      ).sort(),
    ).toEqual([
      'HNG-301 /brokers/a',
      'HNG-301 /brokers/b',
      'HNG-304 /operations/o/flow/0/data',
      'HNG-304 /topics/two/door/where',
      'HNG-305 /topics/two/door/path',
      'HNG-328 /operations/o/flow/0/topic',
      'HNG-328 /topics/three/broker',
    ]);
    expect(codes(document({ topics: {} }))).toEqual(['HNG-328 /doors']);
  });

  test('what NATS has not', () => {
    const topics = {
      good: { broker: 'n', address: 'port.berthed' },
      stars: { broker: 'n', address: 'port.*' },
      spaces: { broker: 'n', address: 'port berthed' },
      kept: { broker: 'n', address: 'port.kept', retain: true },
    };
    expect(codes(document({ brokers: { n: { address: 'nats://127.0.0.1:4222' } }, topics, operations: {} }))).toEqual([
      'HNG-334 /topics/stars/address',
      'HNG-334 /topics/spaces/address',
      'HNG-334 /topics/kept/retain',
    ]);
    expect(
      codes(
        document({
          brokers: { n: { address: 'tls://u:p@h.example:4222' } },
          topics: { good: topics.good },
          operations: {},
        }),
      ),
    ).toEqual([]);
  });

  test('a topic at the path of the hub, where there is one', () => {
    const at = (webhooks: boolean) => {
      const d = document({ topics: { hub: {} } });
      return codes({
        ...d,
        doors: d.doors.map((x) => ({ ...x, ...(webhooks && { webhooks: { callbacks: ['http://127.0.0.1:9/'] } }) })),
      });
    };
    expect(at(false)).toEqual([]);
    expect(at(true)).toEqual(['HNG-305 /topics/hub/door/path']);
  });
});
