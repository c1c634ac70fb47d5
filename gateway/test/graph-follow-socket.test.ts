import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { buildSchema, GraphQLError } from 'graphql';
import { createClient } from 'graphql-ws';
import { useServer } from 'graphql-ws/use/ws';
import { createServer, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { WebSocket, WebSocketServer } from 'ws';
import type { FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';
import { eventually } from './world';

/** Subscriptions of a GraphQL backend that speaks WebSocket only: the backend is the server of `graphql-ws`, a caller is its client, or reads events. */

const SDL =
  'type Query { hello: String } scalar Long type Subscription { ticks(to: Int!): Int! wrong: Int! endless: Int! long: Long! big: String! }';
const schema = buildSchema(SDL);
let left = 0;
let made = 0;
const fields = schema.getSubscriptionType()!.getFields();
Object.assign(fields.ticks!, {
  async *subscribe(_s: unknown, { to }: { to: number }) {
    for (let ticks = 1; ticks <= to; ticks++) {
      await new Promise((r) => setTimeout(r, 5));
      yield { ticks };
    }
  },
});
Object.assign(fields.wrong!, {
  subscribe: () => new GraphQLError('no tide today', { extensions: { code: 'DRY' } }),
});
const counting = (field: 'endless' | 'big', value: () => unknown) =>
  async function* () {
    try {
      for (;;) {
        made++;
        yield { [field]: value() };
        await new Promise((r) => setImmediate(r));
      }
    } finally {
      left++;
    }
  };
Object.assign(fields.endless!, { subscribe: counting('endless', () => made) });
Object.assign(fields.big!, { subscribe: counting('big', () => 'x'.repeat(50_000)) });

let server: Server;
let sockets: WebSocketServer;
let own: WebSocketServer;
let gateway: RunningGateway;
let base: string;
let seen: IncomingHttpHeaders[] = [];
/** Set by a test: talks in place of the backend, or answers the handshake. */
let instead: ((socket: WebSocket) => void) | undefined;
let refuse: number | undefined;

beforeAll(async () => {
  server = createServer((_req, res) => res.writeHead(404).end());
  sockets = new WebSocketServer({ noServer: true });
  own = new WebSocketServer({ noServer: true });
  useServer({ schema }, own);
  server.on('upgrade', (req, socket, head) => {
    seen.push(req.headers);
    if (refuse !== undefined || req.url !== '/live?by=gateway') {
      socket.end(`HTTP/1.1 ${refuse ?? 404} No\r\ncontent-length: 0\r\nconnection: close\r\n\r\n`);
      return;
    }
    const to = instead ? sockets : own;
    to.handleUpgrade(req, socket, head, (ws) => (instead ? instead(ws) : own.emit('connection', ws, req)));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const d: FlowDocument = {
    hinge: 1,
    api: { name: 'Passed on', version: '1' },
    doors: [{ name: 'graph', path: '/graph', answers: 'graphql' }],
    backends: {
      tides: {
        address: `http://127.0.0.1:${(server.address() as AddressInfo).port}/graphql`,
        timeoutMs: 3000,
        contract: { kind: 'graphql', entry: 's.graphql', files: { 's.graphql': SDL } },
        credentials: [{ kind: 'key', in: 'header', name: 'x-own', secret: 'tides' }],
      },
    },
    operations: {},
    graph: { backend: 'tides', subscriptions: { by: 'websocket', path: '/live?by=gateway' } },
  };
  gateway = await startGateway({
    port: 0,
    config: { revision: 'test', secrets: { tides: 'of-the-tides' }, apis: [{ slug: 'on', document: d }] },
  });
  base = `http://127.0.0.1:${gateway.port}/graph`;
});
afterEach(() => {
  instead = undefined;
  refuse = undefined;
  seen = [];
});
afterAll(async () => {
  await gateway.stop();
  for (const c of [...sockets.clients, ...own.clients]) c.terminate();
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
}, 30_000);

const all = async (results: AsyncIterableIterator<unknown>): Promise<unknown[]> => {
  const out: unknown[] = [];
  for await (const r of results) out.push(r);
  return out;
};
const client = () => createClient({ url: base.replace('http', 'ws'), webSocketImpl: WebSocket, retryAttempts: 0 });
const ask = async (query = 'subscription { endless }') => {
  const r = await fetch(`${base}?query=${encodeURIComponent(query)}`, { headers: { accept: 'text/event-stream' } });
  return { status: r.status, text: await r.text() };
};
const TICKS = { query: 'subscription ($n: Int!) { ticks(to: $n) }', variables: { n: 3 } };
const THREE = [1, 2, 3].map((ticks) => ({ data: { ticks } }));

describe('a subscription of a backend that speaks WebSocket', () => {
  test('reaches callers of both ways, several at once, to its end; the backend knows the gateway by its key', async () => {
    const one = client();
    expect(await Promise.all([all(one.iterate(TICKS)), all(one.iterate(TICKS))])).toEqual([THREE, THREE]);
    await one.dispose();
    const { status, text } = await ask('subscription { ticks(to: 2) }');
    expect(status).toBe(200);
    expect(text).toMatch(/"ticks":1[^]*"ticks":2[^]*event: complete/);
    expect(seen.map((h) => [h['x-own'], h['sec-websocket-protocol']])).toEqual(
      Array(3).fill(['of-the-tides', 'graphql-transport-ws']),
    );
    expect(seen[0]!.traceparent).toMatch(/^00-/);
  });

  test('ends at the backend when the caller leaves', async () => {
    const before = left;
    const one = client();
    const results = one.iterate({ query: 'subscription { endless }' });
    expect((await results.next()).value).toMatchObject({ data: { endless: expect.any(Number) } });
    await one.dispose();
    await eventually('the backend to know', () => left === before + 1);
  });

  test('waits for a caller who reads slowly: the backend makes no more than fits between', async () => {
    const before = made;
    const abort = new AbortController();
    const r = await fetch(`${base}?query=${encodeURIComponent('subscription { big }')}`, {
      headers: { accept: 'text/event-stream' },
      signal: abort.signal,
    });
    await r.body!.getReader().read();
    let last = -1;
    await eventually(
      'it to stand still',
      async () => {
        const was = last;
        last = made;
        await new Promise((x) => setTimeout(x, 500));
        return made === last && was === last;
      },
      30_000,
    );
    // Megabytes, where it would be gigabytes: what waits here, and what the system keeps of four connections.
    expect(made - before).toBeLessThan(2000);
    abort.abort();
  }, 40_000);

  test('that the backend refuses is told with its own words', async () => {
    expect((await ask('subscription { wrong }')).text).toMatch(/no tide today[^]*DRY[^]*event: complete/);
  });

  test('is checked here first: nobody is asked what is no query', async () => {
    expect((await ask('subscription { nothing }')).text).toContain('Cannot query field');
    expect(seen).toEqual([]);
  });
});

describe('a backend that does not keep its word', () => {
  const begun = (ws: WebSocket, then: (ws: WebSocket) => void) =>
    ws.on('message', (data: Buffer) => {
      const { type } = JSON.parse(String(data)) as { type: string };
      if (type === 'connection_init') ws.send('{"type":"connection_ack"}');
      if (type === 'subscribe') then(ws);
    });

  test('keeps every digit, answers pings, and is not heard for operations of others', async () => {
    const pongs: string[] = [];
    instead = (ws) => {
      ws.send('{"type":"ping"}');
      ws.on('message', (data: Buffer) => void (String(data).includes('pong') && pongs.push(String(data))));
      begun(ws, () => {
        ws.send('{"id":"2","type":"next","payload":{"data":{"long":1}}}');
        ws.send('{"id":"1","type":"next","payload":{"data":{"long":9007199254740993.10}}}');
        ws.send('{"id":"1","type":"complete"}');
      });
    };
    const { text } = await ask('subscription { long }');
    expect(text).toContain('{"data":{"long":9007199254740993.10}}');
    expect(text).not.toContain('"long":1}');
    expect(pongs).toEqual(['{"type":"pong"}']);
  });

  test.each<[string, (ws: WebSocket) => void, RegExp]>([
    ['breaks off', (ws) => ws.terminate(), /The stream of tides was cut off\.[^]*event: complete/],
    ['closes without completing', (ws) => ws.close(1001), /tides ended the stream without completing the subscription/],
    ['sends what is no JSON', (ws) => ws.send('tide'), /tides sent a message that is none of the protocol/],
    ['sends bytes', (ws) => ws.send(Buffer.from([1, 2])), /The stream of tides was cut off/],
    ['sends what is no result', (ws) => ws.send('{"id":"1","type":"next","payload":7}'), /sent a result that is none/],
    [
      'sends a message that is too long',
      (ws) => ws.send(`"${'x'.repeat(5_000_000)}"`),
      /The stream of tides was cut off/,
    ],
  ])('and %s in the middle', async (_what, then, words) => {
    instead = (ws) => {
      begun(ws, () => {
        ws.send('{"id":"1","type":"next","payload":{"data":{"endless":7}}}');
        then(ws);
        setTimeout(() => ws.close(), 300).unref();
      });
    };
    const { status, text } = await ask();
    expect(status).toBe(200);
    expect(text).toMatch(/"endless":7/);
    expect(text).toMatch(words);
  });

  test('or refuses the gateway, begins with something else, speaks no WebSocket, does not answer', async () => {
    instead = (ws) => ws.close(4403, 'Forbidden');
    expect(await ask()).toMatchObject({
      status: 502,
      text: expect.stringContaining('The answer of tides cannot be read'),
    });
    instead = (ws) => ws.send('{"type":"next"}');
    expect((await ask()).status).toBe(502);
    instead = () => undefined;
    expect(await ask()).toMatchObject({ status: 504, text: expect.stringContaining('within 3000 ms') });
    refuse = 426;
    expect((await ask()).status).toBe(502);
    refuse = 401;
    expect((await ask()).status).toBe(502);
  }, 30_000);
});
