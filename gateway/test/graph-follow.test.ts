import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { buildSchema, GraphQLError } from 'graphql';
import { createClient as createSseClient } from 'graphql-sse';
import { createHandler } from 'graphql-sse/lib/use/http';
import { createClient } from 'graphql-ws';
import { createServer, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { WebSocket } from 'ws';
import type { FlowDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';

/** Subscriptions of a GraphQL backend, passed on: the backend is `graphql-sse`, callers are its client and that of `graphql-ws`. */

const SDL = 'type Query { hello: String } type Subscription { ticks(to: Int!): Int! wrong: Int! endless: Int! }';
const schema = buildSchema(SDL);
let left = 0;
let seenKeys: (string | undefined)[] = [];
Object.assign(schema.getSubscriptionType()!.getFields().ticks!, {
  async *subscribe(_s: unknown, { to }: { to: number }) {
    for (let ticks = 1; ticks <= to; ticks++) {
      await new Promise((r) => setTimeout(r, 5));
      yield { ticks };
    }
  },
});
Object.assign(schema.getSubscriptionType()!.getFields().wrong!, {
  subscribe: () => new GraphQLError('no tide today', { extensions: { code: 'DRY' } }),
});
Object.assign(schema.getSubscriptionType()!.getFields().endless!, {
  async *subscribe() {
    try {
      for (let endless = 0; ; endless++) {
        yield { endless };
        await new Promise((r) => setTimeout(r, 10));
      }
    } finally {
      left++;
    }
  },
});

let backend: Server;
let gateway: RunningGateway;
let base: string;
/** Set by a test: answers in place of the backend. */
let instead: ((res: ServerResponse) => void) | undefined;

const document = (address: string): FlowDocument => ({
  hinge: 1,
  api: { name: 'Passed on', version: '1' },
  doors: [{ name: 'graph', path: '/graph', answers: 'graphql' }],
  backends: {
    tides: {
      address,
      timeoutMs: 2000,
      contract: { kind: 'graphql', entry: 's.graphql', files: { 's.graphql': SDL } },
      credentials: [{ kind: 'key', in: 'header', name: 'x-own', secret: 'tides' }],
    },
  },
  operations: {},
  graph: { backend: 'tides' },
});

beforeAll(async () => {
  const handle = createHandler({ schema });
  backend = createServer((req, res) => {
    seenKeys.push(req.headers['x-own'] as string | undefined);
    if (instead) instead(res);
    else void handle(req, res);
  });
  await new Promise<void>((resolve) => backend.listen(0, '127.0.0.1', resolve));
  const d = document(`http://127.0.0.1:${(backend.address() as AddressInfo).port}`);
  gateway = await startGateway({
    port: 0,
    config: { revision: 'test', secrets: { tides: 'of-the-tides' }, apis: [{ slug: 'on', document: d }] },
  });
  base = `http://127.0.0.1:${gateway.port}/graph`;
});
afterAll(async () => {
  await gateway.stop();
  backend.closeAllConnections();
  await new Promise((resolve) => backend.close(resolve));
});

const until = async (what: () => boolean): Promise<void> => {
  for (let i = 0; i < 200 && !what(); i++) await new Promise((r) => setTimeout(r, 10));
  expect(what()).toBe(true);
};
const all = async (results: AsyncIterableIterator<unknown>): Promise<unknown[]> => {
  const out: unknown[] = [];
  for await (const r of results) out.push(r);
  return out;
};
const TICKS = { query: 'subscription ($n: Int!) { ticks(to: $n) }', variables: { n: 3 } };
const THREE = [1, 2, 3].map((ticks) => ({ data: { ticks } }));

describe('a subscription of a GraphQL backend', () => {
  test('reaches a caller by Server-Sent Events, to its end; the backend knows the gateway by its key', async () => {
    seenKeys = [];
    const client = createSseClient({ url: base, retryAttempts: 0 });
    expect(await all(client.iterate(TICKS))).toEqual(THREE);
    expect(seenKeys).toEqual(['of-the-tides']);
  });

  test('reaches one by WebSocket, several at once', async () => {
    const client = createClient({ url: base.replace('http', 'ws'), webSocketImpl: WebSocket, retryAttempts: 0 });
    const both = await Promise.all([all(client.iterate(TICKS)), all(client.iterate(TICKS))]);
    expect(both).toEqual([THREE, THREE]);
    await client.dispose();
  });

  test('ends at the backend when the caller leaves', async () => {
    const before = left;
    const client = createSseClient({ url: base, retryAttempts: 0 });
    const results = client.iterate({ query: 'subscription { endless }' });
    expect((await results.next()).value).toEqual({ data: { endless: 0 } });
    await results.return!();
    await until(() => left === before + 1);
    const socket = createClient({ url: base.replace('http', 'ws'), webSocketImpl: WebSocket, retryAttempts: 0 });
    const heard = socket.iterate({ query: 'subscription { endless }' });
    await heard.next();
    await socket.dispose();
    await until(() => left === before + 2);
  });

  test('that the backend refuses is told with its own words', async () => {
    const client = createSseClient({ url: base, retryAttempts: 0 });
    const [first] = (await all(client.iterate({ query: 'subscription { wrong }' }))) as { errors: object[] }[];
    expect(first!.errors).toMatchObject([{ message: 'no tide today', extensions: { code: 'DRY' } }]);
  });

  test('is checked here first: nobody is asked what is no query', async () => {
    seenKeys = [];
    const r = await fetch(`${base}?query=${encodeURIComponent('subscription { nothing }')}`, {
      headers: { accept: 'text/event-stream' },
    });
    expect(JSON.stringify(await r.json())).toContain('Cannot query field');
    expect(seenKeys).toEqual([]);
  });
});

describe('a backend that does not keep its word', () => {
  const ask = async (answer: (res: ServerResponse) => void) => {
    instead = answer;
    try {
      const r = await fetch(`${base}?query=${encodeURIComponent('subscription { endless }')}`, {
        headers: { accept: 'text/event-stream' },
      });
      return { status: r.status, text: await r.text() };
    } finally {
      instead = undefined;
    }
  };

  test('and breaks off in the middle: the caller hears so, and the stream ends', async () => {
    const { status, text } = await ask((res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream' });
      res.write('event: next\ndata: {"data":{"endless":7}}\n\n');
      setTimeout(() => res.destroy(), 30);
    });
    expect(status).toBe(200);
    expect(text).toMatch(/"endless":7[^]*The stream of tides was cut off\.[^]*event: complete/);
  });

  test('or keeps it in small pieces, letters cut in the middle', async () => {
    const bytes = Buffer.from(
      'event: next\r\ndata: {"errors":[{"message":"Ebbe für Jærbygda"}]}\r\n\r\nevent: complete\r\ndata:\r\n\r\n',
    );
    const { text } = await ask((res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream; charset=utf-8' });
      const step = (at: number): void => {
        if (at >= bytes.length) return void res.end();
        res.write(bytes.subarray(at, at + 3));
        setImmediate(() => step(at + 3));
      };
      step(0);
    });
    expect(text).toContain('"Ebbe für Jærbygda"');
    expect(text).not.toContain('HNG');
  });

  test('and sends a result without end: it is cut off within bounds', async () => {
    const { text } = await ask((res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream' });
      res.write('event: next\ndata: ');
      const more = (): void => {
        if (!res.destroyed && res.write('x'.repeat(256 * 1024))) setImmediate(more);
        else if (!res.destroyed) res.once('drain', more);
      };
      more();
    });
    expect(text).toContain('tides sent a result that is too long.');
  });

  test('and ends without completing', async () => {
    const { text } = await ask((res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream' });
      res.end(': nothing\n\n');
    });
    expect(text).toContain('tides ended the stream without completing the subscription.');
  });

  test('and sends what is no result', async () => {
    const { text } = await ask((res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream' });
      res.end('event: next\ndata: tide\n\nevent: complete\ndata:\n\n');
    });
    expect(text).toContain('The backend sent a result that is none.');
  });

  test('and answers something else', async () => {
    const { status, text } = await ask((res) => res.writeHead(200, { 'content-type': 'text/html' }).end('<p>hello'));
    expect(status).toBe(502);
    expect(text).toContain('The answer of tides cannot be read.');
  });

  test('and does not answer', async () => {
    const { status, text } = await ask((res) => setTimeout(() => res.destroy(), 6000).unref());
    expect(status).toBe(504);
    expect(text).toContain('did not answer within 2000 ms');
  });
});
