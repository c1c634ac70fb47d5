import { beforeEach, describe, expect, test } from '@jest/globals';
import {
  Body,
  BrokerFailure,
  EVENT_LIMITS,
  EventError,
  eventFrom,
  eventsOf,
  fromStructured,
  payloadOf,
  TopicHubs,
  toStructured,
  type Message,
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

const request = (body: string, type: string, headers: Record<string, string> = {}): Message => ({
  method: 'POST',
  path: '/',
  headers: { 'content-type': type, ...headers },
  body: Body.ofText(body, type),
});

// CloudEvents JSON format 1.0.2, examples of §3.2 and §4.2; HTTP binding 1.0.2, example of §3.1.4. From memory.
const EXAMPLE = {
  specversion: '1.0',
  type: 'com.example.someevent',
  source: '/mycontext',
  subject: null,
  id: 'C234-1234-1234',
  time: '2018-04-05T17:31:00Z',
  comexampleextension1: 'value',
  comexampleothervalue: 5,
  datacontenttype: 'application/json',
  data: { appinfoA: 'abc', appinfoB: 123, appinfoC: true },
};

describe('CloudEvents 1.0', () => {
  test('the example of the JSON format is read, and written with the same meaning', () => {
    const e = fromStructured(EXAMPLE);
    expect(e).toMatchObject({ id: 'C234-1234-1234', source: '/mycontext', type: 'com.example.someevent' });
    expect(e.extensions).toEqual({ comexampleextension1: 'value', comexampleothervalue: '5' });
    expect(JSON.parse(JSON.stringify(toStructured(e)))).toEqual({
      ...Object.fromEntries(Object.entries(EXAMPLE).filter(([k]) => k !== 'subject')),
      comexampleothervalue: '5',
    });
  });

  test('text data stays text, data_base64 is bytes, no data is none', () => {
    const xml = fromStructured({ ...EXAMPLE, datacontenttype: 'application/xml', data: '<much wow="xml"/>' });
    expect([xml.data.mediaType, xml.data.text()]).toEqual(['application/xml', '<much wow="xml"/>']);
    const { data: _d, ...bare } = EXAMPLE;
    const bytes = fromStructured({ ...bare, datacontenttype: 'application/octet-stream', data_base64: 'aGk=' });
    expect([...bytes.data.bytes()]).toEqual([104, 105]);
    expect(toStructured(fromStructured(bare))).not.toHaveProperty('data');
  });

  test('a request is structured, a batch, or binary; anything else carries data', () => {
    const one = JSON.stringify(EXAMPLE);
    expect(eventsOf(request(one, 'application/cloudevents+json; charset=utf-8'))).toHaveLength(1);
    expect(eventsOf(request(`[${one},${one}]`, 'application/cloudevents-batch+json'))).toHaveLength(2);
    expect(eventsOf(request('[]', 'application/cloudevents-batch+json'))).toEqual([]);
    const binary = eventsOf(
      request('{"a":1}', 'application/json', {
        'ce-specversion': '1.0',
        'ce-type': 'com.example.someevent',
        'ce-id': '1234-1234-1234',
        'ce-source': '/mycontext%20two',
        'ce-time': '2018-04-05T03:56:24Z',
      }),
    )!;
    expect(binary[0]).toMatchObject({ id: '1234-1234-1234', source: '/mycontext two' });
    expect(binary[0]!.data.value()).toEqual({ a: 1 });
    expect(eventsOf(request('{"a":1}', 'application/json'))).toBeUndefined();
  });

  test.each([
    [{ ...EXAMPLE, specversion: '0.3' }, '/specversion'],
    [{ ...EXAMPLE, id: '' }, '/id'],
    [{ ...EXAMPLE, source: undefined }, '/source'],
    [{ ...EXAMPLE, type: null }, '/type'],
    [{ ...EXAMPLE, time: 'yesterday' }, '/time'],
    [{ ...EXAMPLE, Bad_Name: 'x' }, '/Bad_Name'],
    [[EXAMPLE], ''],
    ['text', ''],
  ])('what breaks the format is told with its place: %#', (value, pointer) => {
    try {
      fromStructured(value);
      throw new Error('it was read');
    } catch (error) {
      expect(error).toBeInstanceOf(EventError);
      expect((error as EventError).pointer).toBe(pointer);
    }
  });
});

const inside = (more: Partial<TopicRef> = {}): TopicRef => ({
  name: 'berthed',
  address: 'arrivals/berthed',
  form: 'plain',
  qos: 1,
  retain: false,
  keepEvents: 3,
  keepMs: 1000,
  mediaType: 'application/json',
  source: '/Arrivals',
  ...more,
});
const mqtt = (version: 4 | 5, form: TopicRef['form']): TopicRef =>
  inside({ form, broker: { name: 'town', address: 'mqtt://town.example', version } });
describe('what goes to a broker and comes back', () => {
  test.each([
    [4, 'plain'],
    [5, 'plain'],
    [4, 'cloudevents'],
    [5, 'cloudevents'],
  ] as const)('MQTT %s, %s: data and, where they travel, attributes are the same', (version, form) => {
    const ref = mqtt(version, form);
    const e = { ...event('E-1', { tons: 5 }), subject: 'TV-40213', extensions: { quay: 'north' } };
    const m = payloadOf(ref, e);
    expect(m.properties !== undefined).toBe(version === 5 && form === 'cloudevents');
    const back = eventFrom(ref, version === 5 ? m : { payload: m.payload });
    expect(back.data.value()).toEqual({ tons: 5 });
    if (form === 'cloudevents') expect({ ...back, data: 0 }).toEqual({ ...e, data: 0 });
    else expect(back.id).not.toBe('E-1');
  });

  test('what is no event by its own words is data', () => {
    const e = eventFrom(mqtt(4, 'cloudevents'), { payload: new TextEncoder().encode('{"tons":5}') });
    expect([e.type, e.source, e.data.value()]).toEqual(['berthed', '/Arrivals', { tons: 5 }]);
  });
});

describe('topics of a gateway', () => {
  test('every listener gets every event once, in order; one who comes later gets none from before', async () => {
    const [a, b] = [await hubs.listen(inside(), {}), await hubs.listen(inside(), {})];
    for (const id of ['1', '2']) await hubs.publish(inside(), event(id));
    const late = await hubs.listen(inside(), {});
    await hubs.publish(inside(), event('3'));
    expect([await drain(a), await drain(b), await drain(late)]).toEqual([['1', '2', '3'], ['1', '2', '3'], ['3']]);
  });

  test('who comes back with an id gets what came since; an id that nobody knows is told as a gap', async () => {
    for (const id of ['1', '2', '3', '4']) await hubs.publish(inside(), event(id));
    expect(await drain(await hubs.listen(inside(), { after: '3' }))).toEqual(['4']);
    expect(await drain(await hubs.listen(inside(), { after: '4' }))).toEqual([]);
    // Three are kept: the first is gone.
    expect(await drain(await hubs.listen(inside(), { after: '1' }))).toEqual(['gap', '2', '3', '4']);
    expect(await drain(await hubs.listen(inside(), { kept: true }))).toEqual(['2', '3', '4']);
    now = 1500;
    expect(await drain(await hubs.listen(inside(), { kept: true }))).toEqual([]);
  });

  test('one that does not read is cut off alone', async () => {
    const [slow, quick] = [await hubs.listen(inside(), {}), await hubs.listen(inside(), {})];
    for (let n = 0; n <= EVENT_LIMITS.waiting; n++) {
      await hubs.publish(inside(), event(String(n)));
      await quick.next(0);
    }
    expect([slow.ended, quick.ended]).toEqual(['behind', undefined]);
    expect(await drain(slow)).toHaveLength(EVENT_LIMITS.waiting);
  });

  test('a key is one event, also at the same time; what failed may be tried again; after ten minutes it is new', async () => {
    const ref = mqtt(5, 'plain');
    const [one, two] = await Promise.all([
      hubs.publish(ref, event('1'), { once: 'k' }),
      hubs.publish(ref, event('2'), { once: 'k' }),
    ]);
    expect([one, two]).toEqual([{ id: '1' }, { id: '1', repeated: true }]);
    expect(broker.sent).toHaveLength(1);
    broker.down = true;
    await expect(hubs.publish(ref, event('3'), { once: 'other' })).rejects.toThrow('down');
    broker.down = false;
    expect(await hubs.publish(ref, event('3'), { once: 'other' })).toEqual({ id: '3' });
    now = EVENT_LIMITS.keysMs + 1;
    expect(await hubs.publish(ref, event('4'), { once: 'k' })).toEqual({ id: '4' });
  });

  test('a broker is subscribed to once, and again after it failed; nobody is counted who did not come in', async () => {
    broker.down = true;
    await expect(hubs.listen(mqtt(5, 'plain'), {})).rejects.toThrow(BrokerFailure);
    expect(hubs.count).toBe(0);
    broker.down = false;
    const [a] = [await hubs.listen(mqtt(5, 'plain'), {}), await hubs.listen(mqtt(5, 'plain'), {})];
    expect([broker.subscriptions, hubs.count]).toEqual([1, 2]);
    a.close();
    a.close();
    expect(hubs.count).toBe(1);
    await expect(new TopicHubs(undefined, () => 0).listen(mqtt(5, 'plain'), {})).rejects.toThrow('no brokers');
  });
});
