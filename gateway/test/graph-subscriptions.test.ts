import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { EventSource } from 'eventsource';
import { buildSchema } from 'graphql';
import { createClient as createSseClient } from 'graphql-sse';
import { createClient, type Client } from 'graphql-ws';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { WebSocket } from 'ws';
import { exportGraphql, planQuery, graphOf, type FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';

/** Subscriptions of a graph against standard clients: `graphql-sse`, `graphql-ws`, `EventSource` and bare sockets. */

let gateway: RunningGateway;
let vessels: Server;
let base: string;
let asked: string[] = [];

const document = (address: string): FlowDocument => ({
  hinge: 1,
  api: { name: 'Feed', version: '1' },
  doors: [
    { name: 'graph', path: '/graph', answers: 'graphql' },
    { name: 'feed', path: '/feed', answers: 'events' },
  ],
  backends: { vessels: { address } },
  types: {
    Arrival: {
      type: 'object',
      description: 'A ship is there',
      properties: { vesselId: { type: 'string' }, berth: { type: 'string' } },
      required: ['vesselId'],
    },
    Vessel: { type: 'object', properties: { name: { type: 'string' } }, required: ['name'] },
  },
  topics: {
    berthed: { title: 'Berthed', schema: { $ref: '#/types/Arrival' }, door: { where: '$not(body.berth = "none")' } },
    secret: { schema: { $ref: '#/types/Arrival' }, door: { guards: [{ kind: 'key' }] } },
    silent: { door: { listen: false } },
    mapped: { schema: { $ref: '#/types/Arrival' }, door: { data: '{"is": body.vesselId}' } },
  },
  // SHA-256 of "abc": FIPS 180-2, appendix B.1.
  apps: { quay: { keys: ['ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'] } },
  operations: {
    getVessel: {
      method: 'GET',
      path: '/vessels/{id}',
      parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
      reply: { status: 200, mediaType: 'application/json', schema: { $ref: '#/types/Vessel' } },
      // Two at a time: one that is over must be counted no more.
      guards: [{ kind: 'concurrency', calls: 2 }],
      flow: [{ kind: 'call', backend: 'vessels', path: '/{{ path.id }}' }],
    },
  },
  graph: { joins: [{ type: 'Arrival', field: 'vessel', operation: 'getVessel', with: { id: 'vesselId' } }] },
});
let d: FlowDocument;

beforeAll(async () => {
  vessels = createServer((req, res) => {
    asked.push(req.url!);
    res.writeHead(200, { 'content-type': 'application/json' });
    res.end(JSON.stringify({ name: `Vessel ${req.url!.slice(1)}` }));
  });
  await new Promise<void>((resolve) => vessels.listen(0, '127.0.0.1', resolve));
  d = document(`http://127.0.0.1:${(vessels.address() as AddressInfo).port}`);
  gateway = await startGateway({ port: 0, config: { revision: 'test', apis: [{ slug: 'feed', document: d }] } });
  base = `http://127.0.0.1:${gateway.port}`;
});
afterAll(async () => {
  await gateway.stop();
  vessels.closeAllConnections();
  await new Promise((resolve) => vessels.close(resolve));
});

const publish = async (topic: string, data: object) => {
  const r = await fetch(`${base}/feed/${topic}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(data),
  });
  expect(r.status).toBe(202);
};
/** Publishes until what waits for it has come: a stream that begins says so to nobody. */
async function publishUntil<T>(topic: string, data: object, done: Promise<T>): Promise<T> {
  const timer = setInterval(() => void publish(topic, data), 50);
  try {
    return await done;
  } finally {
    clearInterval(timer);
  }
}
const QUERY = 'subscription { berthed { vesselId berth vessel { name } } }';
const SEEN = { data: { berthed: { vesselId: 'v1', berth: 'N-07', vessel: { name: 'Vessel v1' } } } };
const next = async <T>(results: AsyncIterableIterator<T>): Promise<T> => (await results.next()).value as T;

test('each topic that may be listened to is a field of Subscription, and in the SDL', () => {
  const sdl = exportGraphql(d);
  expect(buildSchema(sdl).getSubscriptionType()!.getFields()).toHaveProperty('berthed');
  expect(sdl).toMatch(/"""Berthed"""\s+berthed\(\s+"""[^"]*"""\s+after: String\s+\): Arrival/);
  expect(sdl).not.toContain('silent');
  // A map has no schema.
  expect(sdl).toMatch(/mapped\(\s+"""[^"]*"""\s+after: String\s+\): JSON/);
  expect(planQuery(graphOf(d).schema, QUERY)).toMatchObject({
    kind: 'subscription',
    calls: [{ field: 'berthed.vessel', operation: 'getVessel' }],
  });
});

describe('over Server-Sent Events', () => {
  test('graphql-sse gets each event as a result, joins resolved; what the topic filters does not come', async () => {
    const client = createSseClient({ url: `${base}/graph`, retryAttempts: 0 });
    const results = client.iterate({ query: QUERY });
    const first = next(results);
    expect(await publishUntil('berthed', { vesselId: 'v1', berth: 'N-07' }, first)).toEqual(SEEN);
    await publish('berthed', { vesselId: 'v2', berth: 'none' });
    await publish('berthed', { vesselId: 'v3' });
    for (;;) {
      const r = (await next(results)) as unknown as { data: { berthed: { vesselId: string } } };
      expect(r.data.berthed.vesselId).not.toBe('v2');
      if (r.data.berthed.vesselId === 'v3') break;
    }
    await results.return!();
    client.dispose();
  });

  test('an EventSource that comes back misses nothing: the id of the last event is heard', async () => {
    const url = `${base}/graph?query=${encodeURIComponent('subscription { berthed { vesselId } }')}`;
    const seen: { id: string; data: string }[] = [];
    const listen = (lastEventId?: string) => {
      const source = new EventSource(url, {
        fetch: (u, init) =>
          fetch(u, { ...init, headers: { ...init.headers, ...(lastEventId && { 'last-event-id': lastEventId }) } }),
      });
      source.addEventListener('next', (e) => seen.push({ id: e.lastEventId, data: e.data as string }));
      return source;
    };
    const one = listen();
    const came = (n: number) =>
      new Promise<void>((resolve) => {
        const timer = setInterval(() => seen.length >= n && (clearInterval(timer), resolve()), 10);
      });
    await publishUntil('berthed', { vesselId: 'a' }, came(1));
    one.close();
    const { id } = seen[0]!;
    seen.splice(0);
    await publish('berthed', { vesselId: 'while-away' });
    const two = listen(id);
    await came(1);
    for (;;) {
      if (seen.some((s) => s.data.includes('while-away'))) break;
      await came(seen.length + 1);
    }
    two.close();
  });

  test('without text/event-stream it is refused, and a wrong one is told what is wrong', async () => {
    const post = (query: string, accept: string) =>
      fetch(`${base}/graph`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', accept },
        body: JSON.stringify({ query }),
      });
    const plain = await post(QUERY, 'application/json');
    expect(plain.status).toBe(406);
    expect(((await plain.json()) as { detail: string }).detail).toContain('text/event-stream');
    const wrong = await post('subscription { nothing }', 'text/event-stream');
    expect(JSON.stringify(await wrong.json())).toContain('Cannot query field');
    const two = await post('subscription { berthed { vesselId } secret { vesselId } }', 'text/event-stream');
    expect(JSON.stringify(await two.json())).toContain('must select only one top level field');
  });

  test("the topic's own guards act", async () => {
    const ask = (headers: Record<string, string>) =>
      fetch(`${base}/graph?query=${encodeURIComponent('subscription { secret { vesselId } }')}`, {
        headers: { accept: 'text/event-stream', ...headers },
      });
    expect((await ask({})).status).toBe(401);
    const open = await ask({ 'x-api-key': 'abc' });
    expect(open.status).toBe(200);
    await open.body!.cancel();
  });
});

describe('over WebSocket', () => {
  const connect = (): Client =>
    createClient({
      url: `${base.replace('http', 'ws')}/graph`,
      webSocketImpl: WebSocket,
      retryAttempts: 0,
      lazy: true,
    });

  test('graphql-ws gets queries, mutations refused as anywhere, and subscriptions, several on one socket', async () => {
    const client = connect();
    const one = client.iterate({ query: '{ getVessel(id: "v9") { name } }' });
    expect(await next(one)).toEqual({ data: { getVessel: { name: 'Vessel v9' } } });
    const a = client.iterate({ query: QUERY });
    const b = client.iterate({
      query: 'subscription S { again: berthed { __typename vesselId } }',
      operationName: 'S',
    });
    const both = Promise.all([next(a), next(b)]);
    expect(await publishUntil('berthed', { vesselId: 'v1', berth: 'N-07' }, both)).toEqual([
      SEEN,
      { data: { again: { __typename: 'Arrival', vesselId: 'v1' } } },
    ]);
    await a.return!();
    await b.return!();
    await expect(next(client.iterate({ query: '{ nothing }' }))).rejects.toEqual([
      expect.objectContaining({ message: expect.stringContaining('Cannot query field') as unknown }),
    ]);
    await expect(next(client.iterate({ query: 'subscription { secret { vesselId } }' }))).rejects.toEqual([
      expect.objectContaining({ extensions: expect.objectContaining({ status: 401 }) as object }),
    ]);
    await client.dispose();
  });

  test('one query after another on one socket is counted one by one', async () => {
    const client = connect();
    for (let i = 0; i < 4; i++)
      expect(await next(client.iterate({ query: '{ getVessel(id: "v9") { name } }' }))).toEqual({
        data: { getVessel: { name: 'Vessel v9' } },
      });
    await client.dispose();
  });

  test('what breaks the protocol closes the socket with its code', async () => {
    const code = (protocol: string, ...messages: unknown[]) =>
      new Promise<number | string>((resolve) => {
        const ws = new WebSocket(`${base.replace('http', 'ws')}/graph`, protocol);
        ws.on('open', () => messages.forEach((m) => ws.send(typeof m === 'string' ? m : JSON.stringify(m))));
        ws.on('close', (c) => resolve(c));
        ws.on('unexpected-response', (_q, r) => resolve(`HTTP ${r.statusCode}`));
        ws.on('error', () => undefined);
      });
    const init = { type: 'connection_init' };
    const own = 'graphql-transport-ws';
    const silent = { query: 'subscription { berthed { vesselId } }' };
    expect(await code(own, { type: 'subscribe', id: '1', payload: silent })).toBe(4401);
    expect(await code(own, init, init)).toBe(4429);
    expect(await code(own, init, 'no json')).toBe(4400);
    expect(await code(own, init, { type: 'what' })).toBe(4400);
    const twice = { type: 'subscribe', id: '1', payload: silent };
    expect(await code(own, init, twice, twice)).toBe(4409);
    expect(await code('other')).toBe('HTTP 400');
  });
});

test('each event looks up anew', async () => {
  asked = [];
  const client = createSseClient({ url: `${base}/graph`, retryAttempts: 0 });
  const results = client.iterate({ query: QUERY });
  const first = next(results);
  await publishUntil('berthed', { vesselId: 'twice' }, first);
  for (let i = 0; i < 4; i++) {
    await publish('berthed', { vesselId: 'twice' });
    expect(await next(results)).toMatchObject({ data: { berthed: { vessel: { name: 'Vessel twice' } } } });
  }
  expect(asked.filter((u) => u === '/twice').length).toBeGreaterThan(1);
  await results.return!();
  client.dispose();
});
