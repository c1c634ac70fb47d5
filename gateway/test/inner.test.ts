import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { FlowDocument, StepDocument } from '@hinge/core';
import { startGateway, type RunningGateway } from '../src';
import { listen } from './world';

const api = (
  name: string,
  path: string | undefined,
  flow: StepDocument[],
  more: Partial<FlowDocument> = {},
): FlowDocument => ({
  hinge: 1,
  api: { name, version: '1' },
  doors: path === undefined ? [] : [{ name: 'public', path }],
  operations: { Do: { method: 'GET', path: '/do', flow } },
  ...more,
});

let gateway: RunningGateway;
let backend: Awaited<ReturnType<typeof listen>>;
let asked = 0;
const ask = (path: string, headers: Record<string, string> = {}) =>
  fetch(`http://127.0.0.1:${gateway.port}${path}`, { headers });

beforeAll(async () => {
  backend = await listen((req, res) => {
    asked++;
    if (req.url === '/slow') setTimeout(() => res.end(String(asked)), 60);
    else res.writeHead(asked % 2 ? 503 : 200, { 'content-type': 'application/json' }).end('{"n":1}');
  });
  const backends = { one: { address: backend.url } };
  const remember: StepDocument = {
    kind: 'remember',
    seconds: 60,
    flow: [{ kind: 'call', backend: 'one', path: '/slow' }],
  };
  const retry: StepDocument = { kind: 'call', backend: 'one', path: '/flaky', retry: { times: 1, waitMs: 1 } };
  const config = {
    revision: 'test',
    apis: [
      {
        slug: 'private',
        document: api('Private', undefined, [
          { kind: 'reply', mediaType: 'application/json', from: '{"from": "inside"}' },
        ]),
      },
      { slug: 'open', document: api('Open', '/open', [{ kind: 'call', api: 'private', operation: 'Do' }]) },
      { slug: 'kept', document: api('Kept', '/kept', [remember], { backends }) },
      { slug: 'flaky', document: api('Flaky', '/flaky', [retry], { backends }) },
      {
        slug: 'limited',
        document: api('Limited', '/limited', [{ kind: 'reply', status: 204 }], {
          guards: [
            { kind: 'rate', calls: 3, seconds: 60 },
            { kind: 'network', allow: ['127.0.0.0/8'] },
          ],
        }),
      },
    ],
  };
  gateway = await startGateway({ port: 0, config });
});
afterAll(async () => {
  await gateway.stop();
  await backend.stop();
});

test('an API without a door is a plain 404 outside, and is called from inside without a network', async () => {
  expect(await (await ask('/open/do')).json()).toEqual({ from: 'inside' });
  for (const path of ['/private/do', '/do', '/']) expect((await ask(path)).status).toBe(404);
});

test('forty callers that miss at once cost one call to the backend', async () => {
  const before = asked;
  const replies = await Promise.all(Array.from({ length: 40 }, () => ask('/kept/do')));
  expect(asked - before).toBe(1);
  expect(new Set(await Promise.all(replies.map((r) => r.text()))).size).toBe(1);
  expect((await ask('/kept/do')).headers.get('cache-status')).toMatch(/^hinge; hit; ttl=/);
});

test('a backend that fails once is asked again; the caller sees nothing of it', async () => {
  if (asked % 2) await fetch(`${backend.url}/slow`);
  const r = await ask('/flaky/do');
  expect([r.status, await r.json()]).toEqual([200, { n: 1 }]);
});

test('of many calls at once exactly as many are let in as the rate says', async () => {
  const statuses = (await Promise.all(Array.from({ length: 30 }, () => ask('/limited/do')))).map((r) => r.status);
  expect(statuses.filter((s) => s === 204)).toHaveLength(3);
  expect(statuses.filter((s) => s === 429)).toHaveLength(27);
  const refused = await ask('/limited/do');
  expect(refused.headers.get('content-type')).toBe('application/problem+json');
  expect(Number(refused.headers.get('retry-after'))).toBeGreaterThan(50);
});
