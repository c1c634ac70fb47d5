import { afterAll, afterEach, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { connect, headers, StorageType, type NatsConnection } from 'nats';
import type { FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';
import { Nats } from './broker';
import { eventually, listen } from './world';

/** Debian's nats-server as the broker: plain subjects, and subjects that a stream keeps. */

jest.setTimeout(60_000);

let server: Nats;
let outside: NatsConnection;
const running: RunningGateway[] = [];
const heard: { subject: string; text: string; type?: string }[] = [];

const document = (more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Arrivals', version: '1' },
  doors: [{ name: 'feed', path: '/feed', answers: 'events' }],
  brokers: { town: { address: server.address } },
  topics: {
    announced: { broker: 'town', address: 'kept.announced' },
    events: { broker: 'town', address: 'kept.events', form: 'cloudevents' },
    passing: { broker: 'town', address: 'passing.berthed', qos: 0 },
    unkept: { broker: 'town', address: 'passing.unkept' },
  },
  operations: {},
  ...more,
});
const start = async (d = document(), identity?: string): Promise<RunningGateway> => {
  const gateway = await startGateway({
    port: 0,
    identity,
    config: { revision: 'test', apis: [{ slug: 'arrivals', document: d }] },
  });
  running.push(gateway);
  return gateway;
};
const post = (gateway: RunningGateway, topic: string, body: unknown): Promise<Response> =>
  fetch(`http://127.0.0.1:${gateway.port}/feed/${topic}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });

beforeAll(async () => {
  server = await Nats.start();
  outside = await connect({ servers: server.address, reconnectTimeWait: 100, maxReconnectAttempts: -1 });
  const manager = await outside.jetstreamManager();
  await manager.streams.add({ name: 'KEPT', subjects: ['kept.>'], storage: StorageType.File });
  for (const subject of ['kept.*', 'passing.*'])
    outside.subscribe(subject, {
      callback: (_e, m) =>
        heard.push({ subject: m.subject, text: m.string(), type: m.headers?.get('Content-Type') || undefined }),
    });
  await outside.flush();
});
afterEach(async () => {
  await Promise.all(running.splice(0).map((g) => g.stop()));
});
afterAll(async () => {
  await outside.close();
  await server.kill();
});

test('what is posted is a message of the subject: as it is, or as a CloudEvent', async () => {
  const gateway = await start();
  expect((await post(gateway, 'announced', { vessel: 'TV-1' })).status).toBe(202);
  expect((await post(gateway, 'passing', { vessel: 'TV-2' })).status).toBe(202);
  const { id } = (await (await post(gateway, 'events', { vessel: 'TV-3' })).json()) as { id: string };
  await eventually('all of them', () => heard.length >= 3);
  const of = (subject: string) => heard.find((h) => h.subject === subject)!;
  expect(of('kept.announced')).toMatchObject({ text: '{"vessel":"TV-1"}', type: 'application/json' });
  expect(of('passing.berthed')).toMatchObject({ text: '{"vessel":"TV-2"}' });
  // CloudEvents NATS protocol binding 1.0.2 §3.2: structured content mode.
  expect(of('kept.events').type).toBe('application/cloudevents+json');
  expect(JSON.parse(of('kept.events').text)).toMatchObject({ specversion: '1.0', id, data: { vessel: 'TV-3' } });
  const stream = await (await outside.jetstreamManager()).streams.info('KEPT');
  expect(stream.state.messages).toBe(2);
});

test('a subject that no stream keeps confirms nothing: what is posted there is refused at once', async () => {
  const gateway = await start();
  const r = await post(gateway, 'unkept', {});
  expect([r.status, ((await r.json()) as { detail: string }).detail]).toEqual([
    503,
    'unkept cannot take events now; this one was not taken.',
  ]);
});

test('who listens gets what others publish, with the attributes that stand in its header', async () => {
  const gateway = await start();
  const body = await fetch(`http://127.0.0.1:${gateway.port}/feed/events`, {
    headers: { accept: 'text/event-stream' },
  });
  const reader = body.body!.getReader();
  const h = headers();
  for (const [name, value] of [
    ['ce-specversion', '1.0'],
    ['ce-id', 'e-1'],
    ['ce-source', '/town'],
    ['ce-type', 'berthed'],
    ['Content-Type', 'application/json'],
  ])
    h.set(name!, value!);
  outside.publish('kept.events', '{"vessel":"TV-9"}', { headers: h });
  let text = '';
  while (!text.includes('TV-9')) text += new TextDecoder().decode((await reader.read()).value);
  expect(text).toContain('id: e-1');
  expect(text).toContain('"source":"/town"');
  await reader.cancel();
});

describe('a consumer', () => {
  test('gets what came while its gateway was away, each once, in order; what fails comes again', async () => {
    const got: string[] = [];
    let failing = true;
    const backend = await listen((req, res) => {
      let body = '';
      req.on('data', (d: Buffer) => (body += d.toString()));
      req.on('end', () => {
        const { n } = JSON.parse(body) as { n: string };
        if (n === 'twice' && failing) {
          failing = false;
          res.writeHead(503).end();
          return;
        }
        got.push(n);
        res.writeHead(204).end();
      });
    });
    const d = document({
      backends: { desk: { address: backend.url } },
      topics: { announced: { broker: 'town', address: 'kept.desk' } },
      operations: {
        note: { method: 'POST', path: '/note', flow: [{ kind: 'call', backend: 'desk', path: '/' }] },
      },
      consumers: { desk: { topic: 'announced', operation: 'note' } },
    });
    const publish = (n: string) => outside.jetstream().publish('kept.desk', JSON.stringify({ n }));
    const first = await start(d, 'gateway-1');
    await eventually('the first', async () => {
      if (!got.length) await publish('probe');
      return got.length > 0;
    });
    await first.stop();
    running.length = 0;
    got.length = 0;
    for (const n of ['a', 'b', 'twice', 'c']) await publish(n);
    await start(d, 'gateway-1');
    await eventually('all of them', () => got.includes('c'), 20_000);
    expect(got.filter((n) => n !== 'probe')).toEqual(['a', 'b', 'twice', 'c']);
    await backend.stop();
  });
});

test('the server is killed under load (kill -9): what was answered 202 is in its stream', async () => {
  const gateway = await start();
  const accepted: string[] = [];
  let refused = 0;
  let going = true;
  let n = 0;
  const load = async (): Promise<void> => {
    while (going) {
      const id = `k${n++}`;
      const r = await post(gateway, 'announced', { n: id });
      await r.arrayBuffer();
      if (r.status === 202) accepted.push(id);
      else {
        expect(r.status).toBe(503);
        refused++;
        await new Promise((x) => setTimeout(x, 20));
      }
    }
  };
  const all = Promise.all(Array.from({ length: 16 }, load));
  for (let round = 0; round < 2; round++) {
    const before = accepted.length;
    await eventually('load', () => accepted.length > before + 300, 20_000);
    await server.kill();
    await new Promise((x) => setTimeout(x, 200));
    await server.run();
  }
  const before = accepted.length;
  await eventually('load again', () => accepted.length > before + 100, 20_000);
  going = false;
  await all;
  expect(refused).toBeGreaterThan(0);
  const kept = new Set<string>();
  const stream = await outside.jetstream().consumers.get('KEPT', { filterSubjects: 'kept.announced' });
  for (;;) {
    const batch = await stream.fetch({ max_messages: 500, expires: 1000 });
    let count = 0;
    for await (const m of batch) {
      count++;
      kept.add(m.json<{ n: string }>().n);
    }
    if (!count) break;
  }
  expect(accepted.filter((id) => !kept.has(id))).toEqual([]);
});
