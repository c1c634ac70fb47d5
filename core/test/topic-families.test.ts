import { beforeEach, describe, expect, test } from '@jest/globals';
import {
  addressOf,
  Body,
  compileApi,
  EVENT_LIMITS,
  eventFrom,
  newEvent,
  readAddress,
  refWith,
  topicRef,
  TopicHubs,
  valueFault,
  type EventStream,
  type TopicRef,
} from '../src';
import { drain, FakeBroker } from './event-world';
import { familyDocument as document, familyRef as ref } from './family-world';

const NATS = document({
  brokers: { town: { address: 'nats://127.0.0.1:4222' } },
  topics: { turned: { broker: 'town', address: 'quay.{berth}.turned' } },
});

describe('addresses', () => {
  test('all given is one topic; a part that holds an open parameter is any part', () => {
    const { family } = ref();
    expect(addressOf(family!, { berth: 'north', light: '7' })).toBe('quay/north/light/7/turned');
    // MQTT 5.0 §4.7.1.3: + stands for a whole level.
    expect(addressOf(family!, { berth: 'north' })).toBe('quay/north/light/+/turned');
    expect(ref().address).toBe('quay/+/light/+/turned');
    expect(addressOf({ template: 'a/b-{x}.{y}/c', separator: '/' }, { x: '1' })).toBe('a/+/c');
    expect(ref(NATS).address).toBe('quay.*.turned');
    expect(refWith(ref(NATS), { berth: 'n/1' }).address).toBe('quay.n/1.turned');
  });

  test('values are read back from an address, whatever characters stand between them', () => {
    const of = (template: string, address: string, given = {}, separator: '/' | '.' = '/') =>
      readAddress({ template, names: [], allowed: {}, given, open: true, separator }, address);
    expect(of('quay/{berth}/light/{light}/turned', 'quay/north/light/7/turned')).toEqual({
      berth: 'north',
      light: '7',
    });
    expect(of('a.b/{x}-{y}', 'a.b/1-2-3')).toEqual({ x: '1', y: '2-3' });
    expect(of('{x}/again/{x}', 'a/again/a')).toEqual({ x: 'a' });
    expect(of('{x}/again/{x}', 'a/again/b')).toBeUndefined();
    expect(of('quay/{berth}', 'quay/a/b')).toBeUndefined();
    expect(of('quay/{berth}', 'QUAY/a')).toBeUndefined();
    expect(of('a(b)[c]/{x}', 'a(b)[c]/1')).toEqual({ x: '1' });
    expect(of('quay.{berth}.x', 'quay.a/b.x', {}, '.')).toEqual({ berth: 'a/b' });
    expect(of('quay/{berth}', 'quay/a', { berth: 'b' })).toBeUndefined();
  });

  test.each([
    ['berth', 'north', undefined],
    ['berth', 'east', /must be one of north, south/],
    ['light', undefined, /is needed/],
    ['light', '', /is needed/],
    ['light', 7, undefined],
    ['light', 'ä b.c*>', undefined],
    ['light', 'a/b', /no \//],
    ['light', '+', /no \+/],
    ['light', '#', /no #/],
    ['light', 'a\u0000', /must hold no/],
    ['light', 'x'.repeat(201), /at most 200/],
    ['light', { a: 1 }, /must be a text/],
    ['light', '$SYS', undefined],
  ])('%s may be %p: %p', (name, value, words) => {
    const fault = valueFault(ref().family!, name, value);
    if (words === undefined) expect(fault).toBeUndefined();
    else expect(fault).toMatchObject({ parameter: name, detail: expect.stringMatching(words) });
  });

  test('an address does not begin with what a broker keeps for itself, and in NATS no value is more than one word', () => {
    const first = (address: string) =>
      topicRef(document({ topics: { all: { address } } }), 'all', undefined) as TopicRef;
    // MQTT 5.0 §4.8.2: $share/group/filter would be a subscription with others.
    expect(valueFault(first('{a}/{b}').family!, 'a', '$share')).toMatchObject({ code: 'pattern' });
    expect(valueFault(first('{a}/{b}').family!, 'b', '$share')).toBeUndefined();
    for (const value of ['a.b', '*', '>', 'a b']) expect(valueFault(ref(NATS).family!, 'berth', value)).toBeDefined();
    expect(valueFault(ref(NATS).family!, 'berth', 'a/b+')).toBeUndefined();
  });
});

describe('through the hub of a gateway', () => {
  let now = 0;
  let broker: FakeBroker;
  let hubs: TopicHubs;
  beforeEach(() => {
    now = 0;
    broker = new FakeBroker();
    hubs = new TopicHubs(broker, () => now);
  });
  const north = (light: string) => refWith(ref(), { berth: 'north', light });
  const put = (to: TopicRef, id: string) =>
    hubs.publish(to, { ...newEvent(to, Body.ofText('1', 'application/json')), id });

  test('who listens to one hears that one; who leaves a parameter open hears them all, once', async () => {
    const one = await hubs.listen(north('7'), {});
    const all = await hubs.listen(refWith(ref(), { berth: 'north' }), {});
    const south = await hubs.listen(refWith(ref(), { berth: 'south' }), {});
    await put(north('7'), 'a');
    await put(north('8'), 'b');
    await put(refWith(ref(), { berth: 'south', light: '7' }), 'c');
    expect([await drain(one), await drain(all), await drain(south)]).toEqual([['a'], ['a', 'b'], ['c']]);
    expect(hubs.rateOf(ref())).toMatchObject({ topic: 'turned', listeners: 3 });
    expect(hubs.rateOf(ref()).rows.reduce((n, r) => n + r.published, 0)).toBe(3);
  });

  test('each topic of a family keeps its own events for who comes back, and keys of publishing are of one topic', async () => {
    await put(north('7'), 'a');
    await put(north('8'), 'b');
    expect(await drain(await hubs.listen(north('8'), { kept: true }))).toEqual(['b']);
    const to = (light: string) => hubs.publish(north(light), newEvent(north(light), Body.empty()), { once: 'k' });
    expect([await to('7'), await to('8'), await to('7')].map((p) => p.repeated)).toEqual([undefined, undefined, true]);
  });

  test('an event knows the values it came by, and is about them', async () => {
    const all = await hubs.listen(ref(), {});
    await put(north('7'), 'a');
    expect(await all.next(0)).toMatchObject({
      event: { parameters: { berth: 'north', light: '7' }, subject: 'north/7' },
    });
    const m = { payload: new TextEncoder().encode('{}'), address: 'quay/south/light/9/turned' };
    expect(eventFrom(refWith(ref(), { berth: 'south', light: '9' }), m)).toMatchObject({
      parameters: { light: '9' },
      subject: 'south/9',
    });
  });

  test('nothing is published to a filter', async () => {
    await expect(put(ref(), 'a')).rejects.toThrow(/have no value/);
    await expect(put(refWith(ref(), { berth: 'north' }), 'a')).rejects.toThrow(/have no value/);
  });

  test('topics that callers think of are forgotten: the oldest where there are many, all once nothing of them is kept', async () => {
    const most = EVENT_LIMITS.idle;
    const kept = async (n: number) => (await drain(await hubs.listen(north(String(n)), { kept: true }))).length;
    const heard = await hubs.listen(north('heard'), {});
    await put(north('heard'), 'x');
    for (let n = 0; n < most * 3; n++) {
      now++;
      await put(north(String(n)), `e${n}`);
    }
    expect(await kept(0)).toBe(0);
    expect(await kept(most * 3 - 1)).toBe(1);
    expect(await drain(heard)).toEqual(['x']);
    now += 600_001 + EVENT_LIMITS.tidyMs;
    await put(north('new'), 'y');
    const { hubs: inside } = hubs as unknown as { hubs: Map<string, unknown> };
    expect(inside.size).toBeLessThan(5);
  });

  test('of all topics together no more is kept than fits: first what nobody listens to goes', async () => {
    const most = EVENT_LIMITS.familyEvents;
    const l = await hubs.listen(north('heard'), {});
    const idle = Math.ceil(most / 1000) + 20;
    for (let n = 0; n < idle * 1000; n++) {
      if (n % 1000 === 0) now += 2000;
      await put(north(String(Math.floor(n / 1000))), `e${n}`);
      if (n % 1000 === 0) await put(north('heard'), `h${n}`);
    }
    const { hubs: inside, keptOfFamilies } = hubs as unknown as {
      hubs: Map<string, { kept: unknown[] }>;
      keptOfFamilies: number;
    };
    const kept = [...inside.values()].reduce((sum, h) => sum + h.kept.length, 0);
    expect(keptOfFamilies).toBe(kept);
    expect(kept).toBeLessThanOrEqual(most);
    expect(await drain(l)).toHaveLength(idle);
    expect((await drain(await hubs.listen(north(String(idle - 1)), { kept: true }))).length).toBeGreaterThan(900);
    // A hundred thousand events take two seconds, where nobody else wants the processor.
  }, 90_000);

  test('one that is about to be listened to is not forgotten meanwhile', async () => {
    const d = document({ brokers: { town: { address: 'mqtt://127.0.0.1:1883' } } });
    const at = ref({
      ...d,
      topics: { turned: { ...d.topics!.turned, broker: 'town', keep: { events: 10, seconds: 0 } } },
    });
    let go: () => void = () => undefined;
    const subscribe = broker.subscribe.bind(broker);
    broker.subscribe = async (b, address, take) => {
      if (address.endsWith('/7/turned')) await new Promise<void>((r) => (go = r));
      return subscribe(b, address, take);
    };
    const coming = hubs.listen(refWith(at, { berth: 'north', light: '7' }), {});
    now += 60_000;
    await hubs.listen(refWith(at, { berth: 'north', light: '8' }), {});
    go();
    const l = await coming;
    await broker.publish(undefined, {
      address: 'quay/north/light/7/turned',
      payload: new Uint8Array(0),
      qos: 0,
      retain: false,
    });
    expect(await l.next(0)).toMatchObject({ event: { subject: 'north/7' } });
  });

  test('one that is forgotten is no longer subscribed at the broker', async () => {
    const d = document({ brokers: { town: { address: 'mqtt://127.0.0.1:1883' } } });
    const at = ref({ ...d, topics: { turned: { ...d.topics!.turned, broker: 'town' } } });
    const l = await hubs.listen(refWith(at, { berth: 'north', light: '7' }), {});
    expect([...broker.takers.keys()]).toEqual(['quay/north/light/7/turned']);
    l.close();
    now += 700_000;
    await hubs.listen(refWith(at, { berth: 'north', light: '8' }), {});
    expect([...broker.takers.keys()]).toEqual(['quay/north/light/8/turned']);
  });

  const ask = async (
    method: 'GET' | 'POST',
    path: Record<string, string>,
    d = document(),
    more: { search?: string; headers?: Record<string, string> } = {},
  ) => {
    const entry = compileApi(d)
      .operations.get('lights')!
      .find((o) => o.method === method && o.path === '/{berth}/{light}')!;
    const { reply } = await entry.handle(
      {
        ...{ method, url: `/lights/${path.berth}/${path.light}`, path, query: {}, search: more.search ?? '', rest: '' },
        headers: {
          host: 'quay.example',
          ...(method === 'POST' && { 'content-type': 'application/json' }),
          ...more.headers,
        },
        body: method === 'POST' ? Body.ofText('{"on":true}', 'application/json') : Body.empty(),
      },
      {
        ports: { clock: { now: () => now }, backends: { send: () => Promise.reject(new Error('none')) }, topics: hubs },
        env: {},
        traceId: 't',
        outbound: {},
      },
    );
    // eslint-disable-next-line @typescript-eslint/no-explicit-any -- looked at from outside
    const value = reply.body.isEmpty || reply.body.stream ? undefined : (reply.body.value() as any);
    return {
      status: reply.status,
      headers: reply.headers,
      value,
      stream: reply.body.stream as EventStream | undefined,
    };
  };

  test('by HTTP: the path says which; * listens to any; a filter and a map know the values', async () => {
    const topics = {
      turned: {
        ...document().topics!.turned!,
        door: {
          path: '/{berth}/{light}',
          where: 'parameters.light != "8"',
          data: '{"light": parameters.light, "on": body.on}',
        },
      },
    };
    const d = document({ topics });
    expect((await ask('POST', { berth: 'north', light: '7' }, d)).status).toBe(202);
    expect((await ask('POST', { berth: 'north', light: '8' }, d)).status).toBe(202);
    const open = await ask('GET', { berth: '*', light: '*' }, d, { headers: { accept: 'text/event-stream' } });
    expect(open.status).toBe(200);
    open.stream!.close();
    await ask('POST', { berth: 'south', light: '9' }, d);
    const polled = await ask('GET', { berth: '*', light: '*' }, d, { search: '?wait=1' });
    expect(polled.value.map((e: { data: unknown; subject: string }) => [e.subject, e.data])).toEqual([
      ['south/9', { light: '9', on: true }],
    ]);
    expect((await ask('GET', { berth: 'north', light: '7' }, d)).value[0].data).toEqual({ light: '7', on: true });
  });

  test('what cannot be a value is refused with the name of the parameter', async () => {
    const r = await ask('POST', { berth: 'east', light: '*' });
    expect(r.status).toBe(400);
    expect(r.value.errors).toEqual([
      { pointer: '', parameter: 'berth', code: 'enum', detail: 'must be one of north, south' },
      { pointer: '', parameter: 'light', code: 'pattern', detail: 'must not be *' },
    ]);
    expect((await ask('POST', { berth: 'north', light: 'a/b' })).value.errors).toHaveLength(1);
    expect((await ask('GET', { berth: 'north', light: '#' })).status).toBe(400);
  });

  test('a topic that calls back says which one it is', async () => {
    const d = document({
      doors: [{ name: 'lights', path: '/lights', answers: 'events', webhooks: { callbacks: ['https://a.example/'] } }],
    });
    expect((await ask('GET', { berth: 'north', light: 'a b' }, d)).headers.link).toContain(
      '<http://quay.example/lights/north/a%20b>; rel="self"',
    );
  });
});
