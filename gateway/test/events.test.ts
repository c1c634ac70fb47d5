import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { CloudEvent, HTTP, MQTT, type MQTTMessage } from 'cloudevents';
import { EventSource } from 'eventsource';
import { connectAsync, type MqttClient } from 'mqtt';
import { connect } from 'node:net';
import { WebSocket } from 'ws';
import type { BrokerRef, FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';
import { MqttBrokers } from '../src/brokers/mqtt';
import { Mosquitto } from './broker';
import { eventually } from './world';

let mosquitto: Mosquitto;
let gateway: RunningGateway;
let base: string;
let outside: MqttClient;
const heard: { topic: string; payload: Buffer; properties?: { contentType?: string; userProperties?: object } }[] = [];

const document = (address: string): FlowDocument => ({
  hinge: 1,
  api: { name: 'Arrivals', version: '1' },
  doors: [{ name: 'feed', path: '/arrivals', answers: 'events' }],
  brokers: { town: { address }, old: { address, version: '3.1.1' } },
  topics: {
    announced: {
      broker: 'town',
      address: 'arrivals/announced',
      form: 'cloudevents',
      schema: { type: 'object', properties: { vessel: { type: 'string' } }, required: ['vessel'] },
    },
    berthed: { broker: 'old', address: 'arrivals/berthed' },
    lost: { broker: 'town', address: 'arrivals/lost', qos: 0 },
    secret: { broker: 'town', address: 'arrivals/secret', door: { guards: [{ kind: 'key' }] } },
    inside: {},
  },
  // SHA-256 of "abc": FIPS 180-2, appendix B.1.
  apps: { quay: { keys: ['ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'] } },
  operations: {
    announce: {
      method: 'POST',
      path: '/announce',
      flow: [{ kind: 'publish', topic: 'announced', data: '{"vessel": body.ship}', subject: 'body.ship' }],
    },
  },
});

beforeAll(async () => {
  mosquitto = await Mosquitto.start();
  const feed = document(mosquitto.address);
  gateway = await startGateway({
    port: 0,
    config: {
      revision: 'test',
      apis: [
        { slug: 'arrivals', document: feed },
        {
          slug: 'rest',
          document: { ...feed, api: { name: 'Rest', version: '1' }, doors: [{ name: 'r', path: '/rest' }] },
        },
      ],
    },
  });
  base = `http://127.0.0.1:${gateway.port}`;
  outside = await connectAsync(mosquitto.address, { protocolVersion: 5 });
  outside.on('message', (topic, payload, packet) => heard.push({ topic, payload, properties: packet.properties }));
  await outside.subscribeAsync('arrivals/#', { qos: 1 });
}, 30_000);
afterAll(async () => {
  await outside?.endAsync(true);
  await gateway?.stop();
  await mosquitto?.kill();
});

const post = (path: string, body: unknown, headers: Record<string, string> = {}) =>
  fetch(base + path, {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...headers },
    body: JSON.stringify(body),
  });
const idOf = async (r: Response): Promise<string> => ((await r.json()) as { id: string }).id;

describe('HTTP to a real broker', () => {
  test('a POST is on the broker when it is answered; the SDK of CloudEvents reads what arrived', async () => {
    const r = await post('/arrivals/announced', { vessel: 'Whimbrel' });
    expect(r.status).toBe(202);
    const id = await idOf(r);
    await eventually('the event to arrive', () => heard.some((h) => h.topic === 'arrivals/announced'));
    const { payload, properties } = heard.find((h) => h.topic === 'arrivals/announced')!;
    // As its own factory builds it: user properties are the headers of the SDK.
    const message = {
      PUBLISH: { 'Content Type': properties!.contentType },
      body: payload,
      payload,
      headers: { ...properties!.userProperties, datacontenttype: properties!.contentType },
      'User Properties': { ...properties!.userProperties },
    } as unknown as MQTTMessage<Buffer>;
    expect(MQTT.isEvent(message)).toBe(true);
    const event = MQTT.toEvent<{ vessel: string }>(message) as CloudEvent<{ vessel: string }>;
    expect(event.validate()).toBe(true);
    expect([event.id, event.source, event.type]).toEqual([id, '/Arrivals', 'announced']);
    expect(JSON.parse(String(payload))).toEqual({ vessel: 'Whimbrel' });
  });

  test('what the SDK sends, binary and structured, comes through with its attributes', async () => {
    const event = new CloudEvent({ id: 'SDK-1', source: '/agents', type: 'port.announced', data: { vessel: 'Teal' } });
    for (const m of [HTTP.binary(event), HTTP.structured(event)]) {
      const r = await fetch(`${base}/arrivals/announced`, {
        method: 'POST',
        headers: m.headers as Record<string, string>,
        body: typeof m.body === 'string' ? m.body : JSON.stringify(m.body),
      });
      expect([r.status, await idOf(r)]).toEqual([202, 'SDK-1']);
    }
    await eventually('both', () => heard.filter((h) => String(h.payload).includes('Teal')).length === 2);
    const mine = heard.find((h) => String(h.payload).includes('Teal'))!;
    expect(mine.properties!.userProperties).toMatchObject({ id: 'SDK-1', type: 'port.announced', source: '/agents' });
  });

  test('a flow makes the event; plain data over MQTT 3.1.1; QoS 0', async () => {
    expect((await post('/rest/announce', { ship: 'Grebe' })).status).toBe(202);
    expect((await post('/arrivals/berthed', { berth: 'N-07' })).status).toBe(202);
    expect((await post('/arrivals/lost', { what: 'a fender' })).status).toBe(202);
    await eventually('all three', () =>
      ['Grebe', 'N-07', 'fender'].every((t) => heard.some((h) => String(h.payload).includes(t))),
    );
    expect(heard.find((h) => String(h.payload).includes('N-07'))!.payload.toString()).toBe('{"berth":"N-07"}');
  });
});

describe('many at QoS 0', () => {
  const publish = (brokers: MqttBrokers, broker: BrokerRef, n: number, size: number) =>
    Array.from({ length: n }, (_, i) =>
      brokers.publish(broker, {
        address: `heap/${broker.version}`,
        payload: new TextEncoder().encode(String(i).padEnd(size)),
        mediaType: 'text/plain',
        qos: 0,
        retain: false,
      }),
    );

  test.each(['3.1.1', '5'] as const)('of one turn come whole and in order, over MQTT %s', async (named) => {
    const got: string[] = [];
    outside.on('message', (topic, payload, packet) => {
      if (topic.startsWith('heap/')) got.push(`${packet.properties?.contentType} ${payload.length} ${String(payload)}`);
    });
    await outside.subscribeAsync('heap/#', { qos: 0 });
    const brokers = new MqttBrokers();
    await Promise.all(
      publish(brokers, { name: 'town', address: mosquitto.address, version: named === '5' ? 5 : 4 }, 90, 2_000),
    );
    await eventually('all of them', () => got.length === 90);
    const type = named === '5' ? 'text/plain' : 'undefined';
    expect(got).toEqual(Array.from({ length: 90 }, (_, i) => `${type} 2000 ${String(i).padEnd(2000)}`));
    outside.removeAllListeners('message');
    await outside.unsubscribeAsync('heap/#');
    await brokers.close();
  });

  test('wait while the broker takes nothing; they are refused where it dies meanwhile', async () => {
    const broker = await Mosquitto.start();
    const brokers = new MqttBrokers();
    const ref: BrokerRef = { name: 'own', address: broker.address, version: 5 };
    await Promise.all(publish(brokers, ref, 1, 10));
    let done = 0;
    const send = () =>
      publish(brokers, ref, 20, 1_000_000).map((p) =>
        p
          .then(
            () => 'taken',
            () => 'refused',
          )
          .finally(() => done++),
      );
    broker.pause();
    const first = send();
    await new Promise((r) => setTimeout(r, 200));
    expect(done).toBe(0);
    broker.resume();
    expect(new Set(await Promise.all(first))).toEqual(new Set(['taken']));
    broker.pause();
    const second = send();
    await broker.kill();
    expect(new Set(await Promise.all(second))).toEqual(new Set(['refused']));
    await brokers.close();
  });
});

describe('from a broker to HTTP', () => {
  test('a standard EventSource gets what anybody publishes, and after a break what it missed', async () => {
    const got: string[] = [];
    const ids: string[] = [];
    const source = new EventSource(`${base}/arrivals/berthed`);
    source.onmessage = (e) => {
      got.push(e.data as string);
      ids.push(e.lastEventId);
    };
    await eventually('the stream to be open', () => source.readyState === EventSource.OPEN);
    await outside.publishAsync('arrivals/berthed', '{"berth":"S-01"}', { qos: 1 });
    await eventually('the event', () => got.length === 1);
    expect(got).toEqual(['{"berth":"S-01"}']);
    source.close();
    await outside.publishAsync('arrivals/berthed', '{"berth":"S-02"}', { qos: 1 });
    await outside.publishAsync('arrivals/berthed', '{"berth":"S-03"}', { qos: 1 });
    const poll = await eventuallyPolled(`/arrivals/berthed?wait=5&after=${ids[0]!}`, 2);
    expect(poll.map((e) => (e.data as { berth: string }).berth)).toEqual(['S-02', 'S-03']);
    const r = await fetch(`${base}/arrivals/berthed`, {
      headers: { accept: 'text/event-stream', 'last-event-id': ids[0]! },
    });
    const reader = r.body!.getReader();
    let text = '';
    while (!text.includes('S-03')) text += Buffer.from((await reader.read()).value!).toString();
    expect(text).toContain('data: {"berth":"S-02"}');
    await reader.cancel();
  });

  test('a WebSocket streams both ways; a refusal comes before the handshake', async () => {
    const socket = new WebSocket(`${base.replace('http', 'ws')}/arrivals/announced`, 'cloudevents.json');
    const got: any[] = []; // eslint-disable-line @typescript-eslint/no-explicit-any -- looked at from outside
    socket.on('message', (m: Buffer) => got.push(JSON.parse(m.toString())));
    await new Promise((resolve, reject) => socket.once('open', resolve).once('error', reject));
    expect(socket.protocol).toBe('cloudevents.json');
    socket.send('{"vessel":"Coot"}');
    socket.send('{"tons":1}');
    socket.send('no JSON');
    await eventually('event, acceptance, two problems', () => got.length === 4);
    expect(got.filter((g) => g.accepted)).toHaveLength(1);
    expect(got.filter((g) => g.problem).map((g) => g.problem.status)).toEqual([400, 400]);
    expect(got.find((g) => g.specversion)).toMatchObject({ type: 'announced', data: { vessel: 'Coot' } });
    socket.close();
    const status = await new Promise((resolve) => {
      new WebSocket(`${base.replace('http', 'ws')}/arrivals/secret`)
        .once('unexpected-response', (_req, res) => resolve(res.statusCode))
        .once('error', () => undefined);
    });
    expect(status).toBe(401);
    const opened = new WebSocket(`${base.replace('http', 'ws')}/arrivals/secret`, { headers: { 'x-api-key': 'abc' } });
    await new Promise((resolve, reject) => opened.once('open', resolve).once('error', reject));
    opened.terminate();
    const lost = new WebSocket(`${base.replace('http', 'ws')}/nowhere`);
    expect(
      await new Promise((resolve) =>
        lost.once('unexpected-response', (_q, s) => resolve(s.statusCode)).once('error', () => undefined),
      ),
    ).toBe(404);
  });

  test('another protocol that is asked for is not changed to: the request is one like every other, its body too', async () => {
    const raw = (text: string) =>
      new Promise<string>((resolve, reject) => {
        const socket = connect(gateway.port, '127.0.0.1', () => socket.write(text));
        let out = '';
        socket.on('data', (d) => (out += d.toString()));
        socket.once('close', () => resolve(out));
        socket.once('error', reject);
      });
    const head = (line: string, upgrade: string, more = '') =>
      `${line} HTTP/1.1\r\nhost: x\r\nconnection: Upgrade\r\nupgrade: ${upgrade}\r\n${more}\r\n`;
    const body = '{"ship":"Rail"}';
    const sized = `content-type: application/json\r\ncontent-length: ${body.length}\r\n`;
    expect(await raw(head('POST /rest/announce', 'h2c', sized) + body)).toMatch(
      /^HTTP\/1\.1 202 [^]*"topic":"announced"/,
    );
    expect(await raw(head('POST /rest/announce', 'websocket', sized) + body)).toMatch(/^HTTP\/1\.1 202 /);
    expect(await raw(head('GET /arrivals/inside?wait=0', 'h2c'))).toMatch(/^HTTP\/1\.1 20[04] /);
    expect(await raw(head('GET /nowhere', 'websocket'))).toMatch(/^HTTP\/1\.1 404 [^]*No operation of any API/);
    const chunked = 'content-type: application/json\r\ntransfer-encoding: chunked\r\n';
    expect(await raw(head('POST /rest/announce', 'h2c', chunked) + `f\r\n${body}\r\n0\r\n\r\n`)).toMatch(
      /^HTTP\/1\.1 202 /,
    );
  });

  test('a poll waits for the next event, and leaves nobody listening', async () => {
    const waiting = fetch(`${base}/arrivals/inside?wait=10`);
    await new Promise((r) => setTimeout(r, 200));
    await post('/arrivals/inside', { n: 1 });
    const r = await waiting;
    expect([r.status, ((await r.json()) as unknown[]).length]).toEqual([200, 1]);
    expect(
      (await fetch(`${base}/arrivals/inside`, { method: 'HEAD', headers: { accept: 'text/event-stream' } })).status,
    ).toBe(200);
  });
});

async function eventuallyPolled(path: string, count: number): Promise<{ id: string; data: unknown }[]> {
  let found: { id: string; data: unknown }[] = [];
  await eventually(`${count} events`, async () => {
    const r = await fetch(base + path);
    found = r.status === 200 ? ((await r.json()) as typeof found) : [];
    return found.length >= count;
  });
  return found;
}

describe('a broker that dies', () => {
  test('kill -9 under load: what was answered 202 had reached a subscriber; what was not is 503; afterwards all goes on', async () => {
    const reached = new Set<string>();
    const watch = await connectAsync(mosquitto.address, { protocolVersion: 5, reconnectPeriod: 100 });
    watch.on('message', (_t, _p, packet) => {
      const id = (packet.properties?.userProperties as { id?: string } | undefined)?.id;
      if (id) reached.add(id);
    });
    watch.on('error', () => undefined);
    await watch.subscribeAsync('arrivals/announced', { qos: 1 });
    const stream = new WebSocket(`${base.replace('http', 'ws')}/arrivals/announced`);
    const streamed = new Set<string>();
    stream.on('message', (m: Buffer) => streamed.add((JSON.parse(m.toString()) as { id: string }).id));
    await new Promise((resolve, reject) => stream.once('open', resolve).once('error', reject));

    const answers: { status: number; id?: string; at: number }[] = [];
    let going = true;
    const load = Promise.all(
      Array.from({ length: 8 }, async () => {
        while (going) {
          const r = await post('/arrivals/announced', { vessel: 'Knot' });
          answers.push({ status: r.status, id: r.status === 202 ? await idOf(r) : undefined, at: Date.now() });
          if (r.status !== 202) await new Promise((resolve) => setTimeout(resolve, 30));
        }
      }),
    );
    await eventually('some to be taken', () => answers.length > 50);
    await mosquitto.kill();
    await eventually('refusals', () => answers.filter((a) => a.status === 503).length > 5);
    await mosquitto.run();
    const back = Date.now();
    await eventually('it to be taken again', () => answers.some((a) => a.status === 202 && a.at > back), 15_000);
    going = false;
    await load;
    expect(new Set(answers.map((a) => a.status))).toEqual(new Set([202, 503]));
    // The broker confirms before it hands on, and keeps nothing on disk here: what it had in its hands when it was killed may be gone, one for each sender.
    const missing = () => answers.filter((a) => a.id !== undefined && !reached.has(a.id)).length;
    await eventually('the confirmed ones to have arrived', () => missing() <= 8);
    await eventually('the gateway to be subscribed again', async () => {
      const id = await idOf(await post('/arrivals/announced', { vessel: 'Ruff' }));
      await new Promise((resolve) => setTimeout(resolve, 100));
      return streamed.has(id);
    });
    stream.terminate();
    await watch.endAsync(true);
  }, 60_000);
});
