import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { FlowDocument } from '@hinge/core';
import fc from 'fast-check';
import { startGateway, type RunningGateway } from '../src';
import { raw, statusOf } from './raw';
import { listen } from './world';

const SEED = 20261202;
const asked: { url: string; method: string; host: string; secret: string | undefined }[] = [];
let backend: Awaited<ReturnType<typeof listen>>;
let other: Awaited<ReturnType<typeof listen>>;
const strangers: string[] = [];
let gateway: RunningGateway;

const open = (path: string, more = {}): FlowDocument['operations'][string] => ({
  method: 'ANY',
  path,
  flow: [{ kind: 'call', backend: 'inner' }],
  ...more,
});
const locked = { guards: [{ kind: 'key' as const, in: 'header' as const, name: 'x-api-key' }] };

beforeAll(async () => {
  backend = await listen((req, res) => {
    asked.push({ url: req.url!, method: req.method!, host: req.headers.host!, secret: req.headers.authorization });
    res.setHeader('content-type', 'application/json');
    res.end(JSON.stringify({ url: req.url }));
  });
  other = await listen((req, res) => {
    strangers.push(req.url!);
    res.end();
  });
  const document = (base: string, address: string): FlowDocument => ({
    hinge: 1,
    api: { name: base.slice(1), version: '1' },
    doors: [{ name: 'public', path: base }],
    backends: {
      inner: { address, credentials: [{ kind: 'basic', user: 'gate', secret: 'pass' }] },
    },
    operations: {
      any: open('/*'),
      admin: open('/admin/*', locked),
      order: {
        ...open('/orders/{id}'),
        flow: [{ kind: 'call', backend: 'inner', path: '/orders/{{ path.id }}?of={{ query.of }}' }],
        parameters: [
          { name: 'id', in: 'path', required: true, schema: { type: 'string' } },
          { name: 'of', in: 'query', schema: { type: 'string' } },
        ],
      },
      moved: { ...open('/old/*'), flow: [{ kind: 'call', backend: 'inner', path: '/new/{{ rest }}' }] },
      cafe: open('/café:open'),
      only: open('/only'),
      head: { ...open('/both'), method: 'HEAD', flow: [{ kind: 'reply', status: 204 }] },
      get: { ...open('/both'), method: 'GET' },
    },
  });
  gateway = await startGateway({
    port: 0,
    config: {
      revision: 'r',
      secrets: { pass: 's3cret' },
      apis: [
        { slug: 'by', document: document('/by', `${backend.url}/inner`) },
        { slug: 'plain', document: onlyOrders(document('/plain', `${backend.url}/inner`)) },
        { slug: 'root', document: { ...document('/bare', backend.url) } },
      ],
    },
  });
});

const onlyOrders = (d: FlowDocument): FlowDocument => ({ ...d, operations: { order: d.operations.order! } });

afterAll(async () => {
  await gateway.stop();
  await Promise.all([backend.stop(), other.stop()]);
});

async function ask(line: string, headers = 'Host: gate.test\r\n') {
  asked.length = 0;
  const text = await raw(gateway.port, `${line} HTTP/1.1\r\n${headers}Connection: close\r\n\r\n`);
  return { status: statusOf(text), text, at: asked.map((a) => a.url) };
}

describe('what was matched is what guards judge and what is sent', () => {
  test.each([
    '/by/x/../admin/1',
    '/by/x/%2e%2e/admin/1',
    '/by/x/.%2e/admin/1',
    '/by/x/%2E./admin/1',
    '/by/./admin/1',
    '/by/%61dmin/1',
    '/%62y/admin/1',
    '/x/../by/admin/1',
  ])('%s is the guarded operation', async (path) => {
    expect(await ask(`GET ${path}`)).toMatchObject({ status: 401, at: [] });
  });

  test.each([
    '/by/x/..\\admin/1',
    '/by/x/..%5cadmin/1',
    '/by/x/..%2fadmin/1',
    '/by/x/%252e%252e/admin/1',
    '/by/x/..;a=b/admin/1',
    '/by//admin/1',
    '/by/admin;x/1',
    '/by/admin%2f1',
    '/by/x%00',
    '/by/x%0d%0a',
    '/by/x%zz',
  ])('%s is refused, since it can be read otherwise or not at all', async (path) => {
    const { status, at, text } = await ask(`GET ${path}`);
    expect({ status, at }).toEqual({ status: 400, at: [] });
    expect(text).toContain('hng-409');
  });

  test.each([
    ['/by/a%2Fb', '/inner/a%2Fb'],
    ['/by/a;v=1/b?c=d', '/inner/a;v=1/b?c=d'],
    ['/by/a//b', '/inner/a//b'],
    ['/by/x/../../by/y', '/inner/y'],
    ['/%62y/y', '/inner/y'],
    ['/by/only?q=1', '/inner/only?q=1'],
    ['/by/old/a%2Fb/c?x=%20', '/inner/new/a%2Fb/c?x=%20'],
    ['/by/caf%C3%A9%3Aopen', '/inner/caf%C3%A9%3Aopen'],
    ['/by/%63af%c3%a9:open', '/inner/caf%C3%A9:open'],
    ['/plain/orders/a%2Fb?of=a%26role%3Dadmin', '/inner/orders/a%2Fb?of=a%26role%3Dadmin'],
    ['/by/orders/a%3Frole=admin', '/inner/orders/a%3Frole%3Dadmin?of='],
    ['/by/', '/inner/'],
    ['/by', '/inner'],
    ['/bare', '/'],
  ])('%s asks for %s', async (path, at) => {
    expect(await ask(`GET ${path}`)).toMatchObject({ status: 200, at: [at] });
  });

  test('no path leaves the base path', async () => {
    for (const path of ['/by/../../secret', '/by/x/../../../secret', '/by/%2e%2e/secret'])
      expect((await ask(`GET ${path}`)).status).toBe(404);
    // Seen as /secret by a backend that decodes once more.
    expect(await ask('GET /plain/orders/..%2F..%2F..%2Fsecret')).toMatchObject({ status: 400, at: [] });
  });

  test('the absolute form is a request like any other, and never chooses the host', async () => {
    const port = Number(new URL(other.url).port);
    expect(await ask(`GET http://@127.0.0.1:${port}/orders/x`)).toMatchObject({ status: 400, at: [] });
    expect(await ask(`GET http://127.0.0.1:${port}/bare/x`)).toMatchObject({ status: 200, at: ['/x'] });
    expect(await ask(`GET http://127.0.0.1:${port}/bare/@127.0.0.1:${port}/x`)).toMatchObject({ status: 200 });
    expect(await ask(`GET http://127.0.0.1:${port}`)).toMatchObject({ status: 404 });
    expect(strangers).toEqual([]);
  });

  test('OPTIONS * is answered, other methods of * are not', async () => {
    expect((await ask('OPTIONS *')).status).toBe(204);
    expect((await ask('GET *')).status).toBe(400);
  });

  test('two hosts, or one that is none, are 400', async () => {
    expect((await ask('GET /bare/x', 'Host: a\r\nHost: b\r\n')).status).toBe(400);
    expect((await ask('GET /bare/x', 'Host: a b\r\n')).status).toBe(400);
    expect((await ask('GET /bare/x', 'Host: a@b\r\n')).status).toBe(400);
  });

  test.each(['PROPFIND', 'REPORT', 'MKCOL', 'SEARCH', 'LOCK'])(
    '%s passes an operation of any method',
    async (method) => {
      const { status } = await ask(`${method} /by/x`);
      expect([status, asked[0]?.method]).toEqual([200, method]);
      expect((await ask(`${method} /by/admin/1`)).status).toBe(401);
    },
  );

  test('a HEAD of its own goes before the one that GET implies', async () => {
    expect((await ask('HEAD /by/both')).status).toBe(204);
    expect((await ask('GET /by/both')).status).toBe(200);
  });

  test('of a thousand paths made of what attackers use, none reaches the guarded part or leaves the base', async () => {
    const piece = fc.constantFrom(
      'admin',
      '/',
      '..',
      '.',
      '%2e',
      '%2E%2e',
      '%2f',
      '%5c',
      '\\',
      ';',
      ';a',
      '//',
      '%252e',
      '%25',
      'x',
      '1',
      '?',
      '%61dmin',
      '%C0%AF',
      '%c0%ae',
    );
    await fc.assert(
      fc.asyncProperty(fc.array(piece, { minLength: 1, maxLength: 9 }), async (parts) => {
        const { at } = await ask(`GET /by/${parts.join('')}`);
        for (const url of at) {
          const path = url.split('?', 1)[0]!;
          expect(path === '/inner' || path.startsWith('/inner/')).toBe(true);
          for (const lenient of lenientReadings(path)) expect(lenient).not.toMatch(/^\/inner\/admin(\/|$)/);
        }
      }),
      { seed: SEED, numRuns: 1000 },
    );
  }, 60_000);
});

/** A backend of little care: decodes, turns backslashes, merges slashes, cuts parameters, then resolves. */
function lenientReadings(path: string): string[] {
  const out = new Set<string>();
  let text = path;
  for (let n = 0; n < 3; n++) {
    for (const t of [text, text.replace(/;[^/]*/g, '')]) {
      const url = t
        .replaceAll('\\', '/')
        .replace(/\/+/g, '/')
        .split(/[?#\0]/, 1)[0]!;
      out.add(new URL(url, 'http://h').pathname);
    }
    try {
      text = decodeURIComponent(text);
    } catch {
      break;
    }
  }
  return [...out];
}
