import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { connectAsync, type MqttClient } from 'mqtt';
import { createHmac } from 'node:crypto';
import { mkdtempSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';
import { Mosquitto } from './broker';
import { eventually } from './world';

/** Events that run operations, operations whose changes are events, and addresses that others call back: with Debian's mosquitto. */

jest.setTimeout(30_000);

let mosquitto: Mosquitto;
let outside: MqttClient;
let backend: Server;
let gateway: RunningGateway | undefined;
let base = '';
let answers: number[] = [];
let got: { url: string; body: string; headers: Record<string, unknown> }[] = [];
let berths: unknown[] = [];
const heard: { topic: string; text: string; properties?: Record<string, unknown> }[] = [];

beforeAll(async () => {
  mosquitto = await Mosquitto.start();
  outside = await connectAsync(mosquitto.address, { protocolVersion: 5 });
  outside.on('message', (topic, payload, packet) =>
    heard.push({
      topic,
      text: payload.toString(),
      properties: packet.properties?.userProperties as Record<string, unknown>,
    }),
  );
  await outside.subscribeAsync('out/#', { qos: 1 });
  backend = createServer((req, res) => {
    const chunks: Buffer[] = [];
    req.on('data', (d: Buffer) => chunks.push(d));
    req.on('end', () => {
      if (req.url === '/berths') {
        res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify({ berths }));
        return;
      }
      got.push({ url: req.url!, body: Buffer.concat(chunks).toString(), headers: req.headers });
      res.writeHead(answers.shift() ?? 200, { 'content-type': 'application/json' }).end('{"ok":true}');
    });
  });
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve));
});
afterAll(async () => {
  await outside.endAsync(true);
  backend.closeAllConnections();
  await new Promise((resolve) => backend.close(resolve));
  await mosquitto.kill();
});
beforeEach(() => {
  answers = [];
  got = [];
  heard.splice(0);
});
afterEach(async () => {
  await gateway?.stop();
  gateway = undefined;
});

const document = (more: Partial<FlowDocument>): FlowDocument => ({
  hinge: 1,
  api: { name: 'Port', version: '1' },
  doors: [{ name: 'feed', path: '/feed', answers: 'events' }],
  brokers: { town: { address: mosquitto.address } },
  backends: { office: { address: `http://127.0.0.1:${(backend.address() as AddressInfo).port}` } },
  topics: {
    arrived: { broker: 'town', address: 'in/arrived', form: 'cloudevents' },
    dead: { broker: 'town', address: 'out/dead', form: 'cloudevents' },
    changed: { broker: 'town', address: 'out/changed', form: 'cloudevents' },
  },
  operations: {
    book: {
      method: 'POST',
      path: '/book',
      internal: true,
      flow: [{ kind: 'call', backend: 'office', path: '/book/{{ body.vessel }}' }],
    },
    berths: {
      method: 'GET',
      path: '/berths',
      internal: true,
      flow: [{ kind: 'call', backend: 'office', path: '/berths' }],
    },
  },
  ...more,
});
const start = async (d: FlowDocument, more: object = {}) => {
  gateway = await startGateway({
    port: 0,
    config: { revision: 'test', apis: [{ slug: 'port', document: d }] },
    ...more,
  });
  base = `http://127.0.0.1:${gateway.port}`;
};
const announce = (id: string, vessel = id) =>
  outside.publishAsync('in/arrived', JSON.stringify({ vessel }), {
    qos: 1,
    properties: {
      contentType: 'application/json',
      userProperties: { specversion: '1.0', id, source: '/town', type: 'arrived' },
    },
  });

/** Until nothing came for a while. */
const quiet = () =>
  eventually('quiet', async () => {
    const n = got.length;
    await new Promise((r) => setTimeout(r, 250));
    return got.length === n;
  });

describe('a consumer', () => {
  const consumers = { booking: { topic: 'arrived', operation: 'book', attempts: 3, dead: 'dead' } };

  test('runs the operation with each event in its order, attributes as headers', async () => {
    await start(document({ consumers: { booking: { ...consumers.booking, where: '$not(body.vessel = "no")' } } }));
    await eventually('the consumer to be there', async () => {
      await announce('probe');
      return got.length > 0;
    });
    got = [];
    for (const id of ['a', 'no', 'b', 'c']) await announce(id);
    await eventually('three calls', () => got.filter((g) => !g.url.includes('probe')).length === 3);
    const own = got.filter((g) => !g.url.includes('probe'));
    expect(own.map((g) => [g.url, g.body])).toEqual([
      ['/book/a', '{"vessel":"a"}'],
      ['/book/b', '{"vessel":"b"}'],
      ['/book/c', '{"vessel":"c"}'],
    ]);
    expect(own[0]!.headers).toMatchObject({
      'ce-id': 'a',
      'ce-type': 'arrived',
      'ce-specversion': '1.0',
      traceparent: expect.any(String) as unknown,
    });
  });

  test('tries again what may change, lays aside what will not, and goes on', async () => {
    await start(document({ consumers }));
    await eventually('the consumer to be there', async () => {
      await announce('probe');
      return got.length > 0;
    });
    await quiet();
    got = [];
    answers = [503, 200, 404, 500, 500, 500];
    for (const id of ['late', 'wrong', 'broken', 'good']) await announce(id);
    await eventually('the last one', () => got.some((g) => g.url === '/book/good'));
    expect(got.map((g) => g.url)).toEqual([
      ...['/book/late', '/book/late'],
      // 404 will not change: one try.
      '/book/wrong',
      ...['/book/broken', '/book/broken', '/book/broken'],
      '/book/good',
    ]);
    await eventually('two laid aside', () => heard.filter((h) => h.topic === 'out/dead').length === 2);
    expect(heard.map((h) => [h.properties?.id, h.properties?.deadstatus, h.properties?.deadtopic])).toEqual([
      ['wrong', '404', 'arrived'],
      ['broken', '500', 'arrived'],
    ]);
  });

  test('what comes while the gateway is away waits at the broker; what was not done comes again', async () => {
    const stateDir = mkdtempSync(join(tmpdir(), 'hinge-consumer-'));
    const slow = { patient: { topic: 'arrived', operation: 'book', attempts: 20 } };
    await start(document({ consumers: slow }), { stateDir });
    await eventually('the consumer to be there', async () => {
      await announce('probe');
      return got.length > 0;
    });
    await quiet();
    await gateway!.stop();
    got = [];
    await announce('while-away');
    answers = Array<number>(20).fill(503);
    await start(document({ consumers: slow }), { stateDir });
    await eventually('a try', () => got.some((g) => g.url === '/book/while-away'));
    // Stopped in the middle of its tries: nothing was confirmed.
    await gateway!.stop();
    answers = [];
    got = [];
    await start(document({ consumers: slow }), { stateDir });
    await eventually('it to be done', () => got.some((g) => g.url === '/book/while-away'));
  });

  test('two gateways share the events of one consumer', async () => {
    await start(document({ consumers }));
    const other = await startGateway({
      port: 0,
      config: { revision: 'test', apis: [{ slug: 'port', document: document({ consumers }) }] },
    });
    try {
      await eventually('both to be there', async () => {
        await announce('probe');
        return got.length > 1;
      });
      await quiet();
      got = [];
      for (let i = 0; i < 20; i++) await announce(`n${i}`);
      await eventually('all', () => got.filter((g) => g.url.includes('/n')).length >= 20);
      await new Promise((r) => setTimeout(r, 300));
      expect(
        got
          .filter((g) => g.url.includes('/n'))
          .map((g) => g.url)
          .sort(),
      ).toEqual(Array.from({ length: 20 }, (_, i) => `/book/n${i}`).sort());
    } finally {
      await other.stop();
    }
  });
});

test('a poll tells what is new or changed, and nothing of the first look', async () => {
  berths = [{ id: 'N-07', free: true, seen: 1 }];
  const d = document({
    polls: {
      berths: { operation: 'berths', everySeconds: 1, items: 'berths', key: 'id', version: 'free', topic: 'changed' },
    },
  });
  await start(d);
  await new Promise((r) => setTimeout(r, 500));
  expect(heard).toEqual([]);
  berths = [
    { id: 'N-07', free: true, seen: 2 },
    { id: 'N-08', free: true, seen: 1 },
  ];
  await eventually('the new one', () => heard.length === 1);
  berths = [{ id: 'N-07', free: false, seen: 3 }];
  await eventually('the change', () => heard.length === 2);
  expect(heard.map((h) => [h.properties?.type, h.properties?.subject, JSON.parse(h.text)])).toEqual([
    ['changed.new', 'N-08', { id: 'N-08', free: true, seen: 1 }],
    ['changed.changed', 'N-07', { id: 'N-07', free: false, seen: 3 }],
  ]);
});

describe('an address that others call back', () => {
  const callback = {
    path: '/hooks/town',
    guards: [{ kind: 'signature' as const, secret: 'hook', header: 'X-Hub-Signature', prefix: 'sha256=' }],
    where: 'body.kind = "arrived"',
    data: '{"vessel": body.ship}',
    once: 'X-Delivery',
    from: ['https://town.example/topic'],
  };
  const sign = (body: string) => `sha256=${createHmac('sha256', 'secret-of-the-town').update(body).digest('hex')}`;
  const call = (body: string, headers: Record<string, string> = {}) =>
    fetch(`${base}/feed/hooks/town`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'x-hub-signature': sign(body), ...headers },
      body,
    });
  beforeEach(async () => {
    const d = document({
      topics: {
        hooked: {
          broker: 'town',
          address: 'out/hooked',
          schema: { type: 'object', properties: { vessel: { type: 'string' } }, required: ['vessel'] },
          door: { publish: false, callback },
        },
      },
    });
    gateway = await startGateway({
      port: 0,
      config: { revision: 'test', apis: [{ slug: 'port', document: d }], secrets: { hook: 'secret-of-the-town' } },
    });
    base = `http://127.0.0.1:${gateway.port}`;
  });

  test('signed, it becomes an event, the same delivery once; unsigned it does not', async () => {
    const body = '{"kind":"arrived","ship":"TV-1"}';
    expect((await call(body, { 'x-delivery': '1' })).status).toBe(202);
    expect((await call(body, { 'x-delivery': '1' })).status).toBe(202);
    expect((await call('{"kind":"left","ship":"TV-2"}')).status).toBe(202);
    expect((await call(body, { 'x-hub-signature': sign('{}') })).status).toBe(401);
    expect((await call(body, { 'x-hub-signature': 'sha1=00' })).status).toBe(401);
    expect((await call('{"kind":"arrived","ship":7}')).status).toBe(400);
    expect((await call('{"kind":"arr')).status).toBe(400);
    await new Promise((r) => setTimeout(r, 200));
    expect(heard.map((h) => h.text)).toEqual(['{"vessel":"TV-1"}']);
  });

  test('a challenge is given back (W3C WebSub §5.3), for what was asked for', async () => {
    const ask = (q: string) => fetch(`${base}/feed/hooks/town?${q}`);
    const topic = encodeURIComponent('https://town.example/topic');
    const right = await ask(`hub.mode=subscribe&hub.topic=${topic}&hub.challenge=a%3Cb&hub.lease_seconds=60`);
    expect([right.status, await right.text(), right.headers.get('content-type')]).toEqual([
      200,
      'a<b',
      'text/plain; charset=utf-8',
    ]);
    expect((await ask(`hub.mode=subscribe&hub.topic=https://else.example&hub.challenge=x`)).status).toBe(400);
    expect((await ask('')).status).toBe(400);
    expect((await ask(`hub.challenge=${'x'.repeat(1001)}`)).status).toBe(400);
  });
});
