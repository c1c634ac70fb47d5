import { afterAll, afterEach, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { EventSource } from 'eventsource';
import { connectAsync, type MqttClient } from 'mqtt';
import { connect, type NatsConnection } from 'nats';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';
import { Mosquitto, Nats } from './broker';
import { eventually, listen } from './world';

/** Topics with parameters on brokers of Debian: MQTT 5, MQTT 3.1.1, NATS with a stream, and within the gateway. */

jest.setTimeout(60_000);

let mosquitto: Mosquitto;
let nats: Nats;
let mqtt: MqttClient;
let outside: NatsConnection;
const heard: { address: string; text: string }[] = [];
const running: RunningGateway[] = [];
const ends: (() => unknown)[] = [];

beforeAll(async () => {
  [mosquitto, nats] = await Promise.all([Mosquitto.start(), Nats.start()]);
  mqtt = await connectAsync(mosquitto.address, { protocolVersion: 5 });
  mqtt.on('message', (address, payload) => heard.push({ address, text: String(payload) }));
  await mqtt.subscribeAsync('#', { qos: 1 });
  outside = await connect({ servers: nats.address });
  const manager = await outside.jetstreamManager();
  await manager.streams.add({ name: 'LIGHTS', subjects: ['nats.>'] });
  outside.subscribe('nats.>', { callback: (_e, m) => heard.push({ address: m.subject, text: m.string() }) });
  await outside.flush();
});
afterEach(async () => {
  for (const end of ends.splice(0)) await end();
  await Promise.all(running.splice(0).map((g) => g.stop()));
  heard.length = 0;
});
afterAll(async () => {
  await mqtt?.endAsync(true);
  await outside?.close();
  await Promise.all([mosquitto?.kill(), nats?.kill()]);
});

const BROKERS = ['five', 'three', 'nats', 'inside'] as const;
type Broker = (typeof BROKERS)[number];

const document = (broker: Broker, more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Lights', version: '1' },
  doors: [{ name: 'l', path: '/l', answers: 'events' }],
  brokers: {
    five: { address: mosquitto.address },
    three: { address: mosquitto.address, version: '3.1.1' },
    nats: { address: nats.address },
  },
  topics: {
    turned: {
      ...(broker !== 'inside' && { broker }),
      address: broker === 'nats' ? 'nats.{berth}.{light}' : `${broker}/{berth}/{light}`,
      parameters: { berth: { values: ['north', 'south'] } },
      door: { path: '/{berth}/{light}' },
    },
  },
  operations: {},
  ...more,
});
const start = async (d: FlowDocument, more: { stateDir?: string; identity?: string } = {}): Promise<RunningGateway> => {
  const gateway = await startGateway({
    port: 0,
    ...more,
    config: { revision: 'test', apis: [{ slug: 'lights', document: d }] },
  });
  running.push(gateway);
  return gateway;
};
const post = (g: RunningGateway, path: string, body: unknown): Promise<Response> =>
  fetch(`http://127.0.0.1:${g.port}/l/${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });

/** A standard listener. */
const source = async (g: RunningGateway, path: string): Promise<string[]> => {
  const got: string[] = [];
  const es = new EventSource(`http://127.0.0.1:${g.port}/l/${path}`);
  ends.push(() => es.close());
  es.onmessage = (e) => got.push(e.data as string);
  await new Promise<void>((resolve, reject) => {
    es.onopen = () => resolve();
    es.onerror = (e) => reject(new Error(e.message ?? 'no stream'));
  });
  return got;
};

describe.each(BROKERS)('on %s', (broker) => {
  test('a POST goes to the address that its path means; one hears one, and an open parameter hears all, each once', async () => {
    const g = await start(document(broker));
    const one = await source(g, 'north/7');
    const open = await source(g, 'north/*');
    const all = await source(g, '*/*');
    for (const path of ['north/7', 'north/8', 'south/7']) expect((await post(g, path, { at: path })).status).toBe(202);
    const of = (...paths: string[]) => paths.map((at) => JSON.stringify({ at }));
    await eventually('all to be heard', () => all.length >= 3);
    // Whatever would come twice has come by then.
    expect((await post(g, 'south/9', { at: 'south/9' })).status).toBe(202);
    await eventually('the last to be heard', () => all.length >= 4);
    expect(one).toEqual(of('north/7'));
    expect(open).toEqual(of('north/7', 'north/8'));
    expect(all).toEqual(of('north/7', 'north/8', 'south/7', 'south/9'));
    if (broker === 'inside') return;
    const separator = broker === 'nats' ? '.' : '/';
    await eventually('the broker to tell', () => heard.length >= 4);
    expect(heard.map((h) => h.address).slice(0, 3)).toEqual(
      ['north/7', 'north/8', 'south/7'].map((p) => [broker, ...p.split('/')].join(separator)),
    );
  });

  test('what is no value is refused, and nothing reaches the broker', async () => {
    const g = await start(document(broker));
    const statuses = await Promise.all(
      ['east/7', 'north/%23', 'north/a%2Fb', 'north/*', 'north/a%00'].map(async (p) => (await post(g, p, {})).status),
    );
    // What stands for a part of NATS' own may hold a slash, and a sharp.
    expect(statuses).toEqual(broker === 'nats' ? [400, 202, 202, 400, 400] : [400, 400, 400, 400, 400]);
    const stream = await fetch(`http://127.0.0.1:${g.port}/l/east/*`, { headers: { accept: 'text/event-stream' } });
    expect(stream.status).toBe(400);
    expect(await stream.json()).toMatchObject({
      errors: [{ parameter: 'berth', code: 'enum', detail: 'must be one of north, south' }],
    });
  });

  test('a consumer runs an operation with the values of each event in its path', async () => {
    const got: string[] = [];
    const backend = await listen((req, res) => {
      got.push(req.url!);
      res.writeHead(204).end();
    });
    ends.push(backend.stop);
    const g = await start(
      document(broker, {
        backends: { lamps: { address: backend.url } },
        consumers: { switch: { topic: 'turned', operation: 'turn', where: 'parameters.berth = "north"' } },
        operations: {
          turn: {
            method: 'POST',
            path: '/turn/{light}',
            internal: true,
            parameters: [{ name: 'light', in: 'path', required: true, schema: { type: 'string' } }],
            flow: [{ kind: 'call', backend: 'lamps', path: '/lamps/{{path.light}}' }],
          },
        },
      }),
    );
    await eventually('the consumer to take', async () => {
      await post(g, 'north/first', {});
      return got.length > 0;
    });
    for (const path of ['south/1', 'north/2', 'north/ä']) await post(g, encodeURI(path), {});
    await eventually('the last to be taken', () => got.includes('/lamps/%C3%A4'));
    expect(got.filter((u) => u !== '/lamps/first')).toEqual(['/lamps/2', '/lamps/%C3%A4']);
  });
});

test('a webhook is subscribed to one of a family, or to them all, and goes on after a restart', async () => {
  const asked: string[] = [];
  const got: string[] = [];
  const subscriber = await listen((req, res) => {
    const url = new URL(req.url!, 'http://s');
    if (req.method === 'GET') {
      asked.push(url.searchParams.get('hub.topic')!);
      res.end(url.searchParams.get('hub.challenge'));
      return;
    }
    let text = '';
    req.on('data', (c: Buffer) => (text += String(c)));
    req.on('end', () => {
      got.push(`${url.pathname} ${text}`);
      res.writeHead(204).end();
    });
  });
  ends.push(subscriber.stop);
  const d = document('five', {
    doors: [{ name: 'l', path: '/l', answers: 'events', webhooks: { callbacks: [subscriber.url] } }],
  });
  const stateDir = mkdtempSync(join(tmpdir(), 'hinge-families-'));
  const first = await start(d, { stateDir, identity: 'families' });
  const subscribe = (path: string, callback: string) =>
    fetch(`http://127.0.0.1:${first.port}/l/hub`, {
      method: 'POST',
      body: new URLSearchParams({
        'hub.mode': 'subscribe',
        'hub.topic': `http://127.0.0.1:${first.port}/l/${path}`,
        'hub.callback': subscriber.url + callback,
      }),
    });
  expect((await subscribe('north/a%20b', '/one')).status).toBe(202);
  expect((await subscribe('*/*', '/all')).status).toBe(202);
  expect((await subscribe('east/7', '/none')).status).toBe(400);
  await eventually('both to be subscribed', () => asked.length === 2);
  await eventually('events to come', async () => {
    await post(first, 'north/a%20b', 1);
    return got.includes('/one 1') && got.includes('/all 1');
  });
  await first.stop();
  running.splice(0);
  const second = await start(d, { stateDir, identity: 'families' });
  await eventually('events to come again', async () => {
    await post(second, 'south/9', 2);
    await post(second, 'north/a%20b', 3);
    return got.includes('/one 3') && got.includes('/all 3') && got.includes('/all 2');
  });
  expect(got).not.toContain('/one 2');
});

test('a graph subscribes by arguments', async () => {
  const d = document('five');
  const g = await start({
    ...d,
    doors: [...d.doors, { name: 'g', path: '/g', answers: 'graphql' }],
    topics: { turned: { ...d.topics!.turned!, schema: { type: 'object', properties: { on: { type: 'boolean' } } } } },
  });
  const listening = await fetch(`http://127.0.0.1:${g.port}/g`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', accept: 'text/event-stream' },
    body: JSON.stringify({ query: 'subscription { turned(light: "7") { on } }' }),
  });
  expect(listening.status).toBe(200);
  const reader = listening.body!.getReader();
  let text = '';
  await post(g, 'north/8', { on: false });
  await post(g, 'south/7', { on: true });
  while (!text.includes('"turned"')) text += new TextDecoder().decode((await reader.read()).value);
  expect(text).toContain('{"data":{"turned":{"on":true}}}');
  expect(text).not.toContain('false');
  await reader.cancel();
});
