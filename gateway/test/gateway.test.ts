import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { draftProxy, type FlowDocument } from '@hinge/core';
import { request } from 'node:http';
import { connect } from 'node:net';
import { startBerths, type StandIn } from '../../stand-ins/src';
import { startGateway, traceContext, type RunningGateway } from '../src';
import { berthsDocument, listen } from './world';

let standIn: StandIn;
let gateway: RunningGateway;
let echo: Awaited<ReturnType<typeof listen>>;
let base: string;
const headers = { officeCode: 'TH-22' };

beforeAll(async () => {
  standIn = await startBerths();
  echo = await listen((req, res) => {
    if (req.url === '/cut') {
      res.writeHead(200, { 'content-length': 100 });
      res.write('half');
      setTimeout(() => res.destroy(), 10);
      return;
    }
    if (req.url === '/cookies') {
      res.writeHead(200, { 'set-cookie': ['a=1; Expires=Wed, 09 Jun 2027 10:18:14 GMT', 'b=2; Path=/'] });
      res.end(Buffer.from(Array.from({ length: 256 }, (_, i) => i)));
      return;
    }
    res.writeHead(201, {
      'content-type': 'text/plain',
      'x-path': req.url,
      'x-method': req.method,
      'x-traceparent': req.headers.traceparent ?? '',
    });
    req.pipe(res);
  });
  const berths = berthsDocument(`http://127.0.0.1:${standIn.port}/soap`);
  berths.backends!['berths-service']!.timeoutMs = 400;
  const gone: FlowDocument = { ...draftProxy('http://127.0.0.1:1', { name: 'Gone', base: '/gone' }) };
  gateway = await startGateway({
    port: 0,
    controlPort: 0,
    config: {
      revision: 'test',
      apis: [
        { slug: 'berths', release: 3, document: berths },
        { slug: 'echo', document: draftProxy(echo.url, { name: 'Echo', base: '/echo' }) },
        { slug: 'gone', document: gone },
        {
          slug: 'pages',
          document: {
            ...draftProxy(echo.url, { name: 'Pages', base: '/pages' }),
            guards: [{ kind: 'cors', origins: ['https://desk.example'] }, { kind: 'key' }],
          },
        },
      ],
    },
  });
  base = `http://127.0.0.1:${gateway.port}`;
});
afterEach(() => void Object.assign(standIn.behaviour, { mode: 'normal', delayMs: 0 }));
afterAll(async () => {
  await gateway.stop();
  await echo.stop();
  await standIn.stop();
});

describe('SOAP to REST over real sockets', () => {
  test('the journey of a reservation: made, read, taken, amended, cancelled', async () => {
    const body = {
      berth: 'N-07',
      vessel: { callNumber: 'TV-40213' },
      draughtMetres: 6.4,
      stay: { from: '2026-12-04T05:30:00+01:00', until: '2026-12-06T05:30:00+01:00' },
      cargo: [],
    };
    const post = () =>
      fetch(`${base}/berths/v1/reservations`, {
        method: 'POST',
        headers: { ...headers, 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
    const made = await post();
    expect(made.status).toBe(201);
    const text = await made.text();
    expect(text).toContain('"dues":{"currency":"TAL","value":412.50}');
    expect(text).toContain('"cargo":[]');
    const { reservation } = JSON.parse(text) as { reservation: { number: string } };
    const at = `${base}/berths/v1/reservations/${reservation.number}`;
    expect(await (await fetch(at, { headers })).json()).toMatchObject({
      reservation: { state: 'CONFIRMED', pilotFrom: null },
    });
    const taken = await post();
    expect(taken.status).toBe(400);
    expect(await taken.json()).toMatchObject({
      fault: { code: 'Client', detail: { berth: 'N-07', takenBy: reservation.number } },
      traceId: expect.stringMatching(/^[0-9a-f]{32}$/),
    });
    const amended = await fetch(at, {
      method: 'PATCH',
      headers: { ...headers, 'content-type': 'application/json' },
      body: JSON.stringify({ stay: { from: '2026-12-08T05:30:00+01:00', until: '2026-12-09T05:30:00+01:00' } }),
    });
    expect(await amended.json()).toMatchObject({ reservation: { state: 'AMENDED' } });
    const gone = await fetch(at, { method: 'DELETE', headers });
    expect([gone.status, await gone.text()]).toEqual([204, '']);
  });

  test('%2F stays inside its parameter', async () => {
    const r = await fetch(`${base}/berths/v1/reservations/R%2F1%20x`, { headers });
    expect(await r.json()).toMatchObject({ fault: { detail: { asked: 'R/1 x' } } });
  });

  test.each([
    ['down', 503, 'hng-502'],
    ['slow', 504, 'hng-503'],
    ['garbled', 502, 'hng-504'],
    ['cut', 502, 'hng-504'],
    ['wrong', 502, 'hng-505'],
  ] as const)('the stand-in %s', async (mode, status, code) => {
    Object.assign(standIn.behaviour, { mode, delayMs: mode === 'slow' ? 2000 : 0 });
    const r = await fetch(`${base}/berths/v1/berths/N-07`, { headers });
    const problem = (await r.json()) as { type: string; backend: string };
    expect([r.status, problem.type, problem.backend]).toEqual([status, `/problems/${code}`, 'berths-service']);
    expect(JSON.stringify(problem)).not.toContain(String(standIn.port));
    expect(r.headers.get('content-type')).toBe('application/problem+json');
  });

  test('one hundred at once are all answered', async () => {
    const all = await Promise.all(
      Array.from({ length: 100 }, (_, i) =>
        fetch(`${base}/berths/v1/berths/${i % 2 ? 'N-07' : 'S-02'}`, { headers }).then(
          (r) => r.json() as Promise<{ berth: { number: string } }>,
        ),
      ),
    );
    all.forEach((b, i) => expect(b.berth.number).toBe(i % 2 ? 'N-07' : 'S-02'));
  });
});

describe('what callers are told', () => {
  test('Server-Timing tells backend and gateway apart and which release answered; the trace goes on', async () => {
    const r = await fetch(`${base}/berths/v1/berths/N-07`, {
      headers: { ...headers, traceparent: '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01' },
    });
    expect(r.headers.get('server-timing')).toMatch(/^gateway;dur=[\d.]+, backend;dur=[\d.]+, release;desc="berths 3"$/);
    expect(r.headers.get('traceresponse')).toMatch(/^00-4bf92f3577b34da6a3ce929d0e0e4736-[0-9a-f]{16}-01$/);
  });

  test('traceparent by W3C Trace Context §3.2: the example is taken, anything odd makes a new trace', () => {
    // Example of the recommendation, from memory.
    expect(traceContext('00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-00')).toMatchObject({
      traceId: '0af7651916cd43dd8448eb211c80319c',
      sampled: false,
    });
    for (const bad of [
      undefined,
      '',
      'x',
      '00-00000000000000000000000000000000-b7ad6b7169203331-01',
      'ff-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01',
      '00-0AF7651916CD43DD8448EB211C80319C-b7ad6b7169203331-01',
    ]) {
      expect(traceContext(bad).traceId).toMatch(/^(?!0af765)[0-9a-f]{32}$/);
    }
  });

  test('an unknown path is a plain 404, a wrong method a 405 with Allow', async () => {
    const lost = await fetch(`${base}/berths/v1/nothing`);
    expect([lost.status, await lost.json()]).toEqual([
      404,
      expect.objectContaining({ title: 'No operation matches', status: 404 }),
    ]);
    const wrong = await fetch(`${base}/berths/v1/berths`, { method: 'POST' });
    expect([wrong.status, wrong.headers.get('allow')]).toEqual([405, 'GET, HEAD']);
  });

  test('HEAD answers like GET without a body (RFC 9110 §9.3.2)', async () => {
    const r = await fetch(`${base}/berths/v1/berths/N-07`, { method: 'HEAD', headers });
    expect([r.status, await r.text()]).toEqual([200, '']);
    expect(Number(r.headers.get('content-length'))).toBeGreaterThan(50);
  });

  test('a body over the bound is refused, also one that does not say its length', async () => {
    const status = await new Promise<number>((resolve, reject) => {
      const req = request(
        `${base}/berths/v1/reservations`,
        { method: 'POST', headers: { ...headers, 'content-type': 'application/json' } },
        (res) => resolve(res.statusCode ?? 0),
      );
      req.on('error', reject);
      let sent = 0;
      const chunk = Buffer.alloc(1024 * 1024, 32);
      const push = () => {
        while (sent < 17) {
          sent++;
          if (!req.write(chunk)) return void req.once('drain', push);
        }
        req.end();
      };
      push();
    });
    expect(status).toBe(413);
  });
});

describe('a plain proxy', () => {
  test('every cookie comes as a field of its own (RFC 9110 §5.3), small bodies byte by byte, with their length', async () => {
    const r = await fetch(`${base}/echo/cookies`);
    expect(r.headers.getSetCookie()).toEqual(['a=1; Expires=Wed, 09 Jun 2027 10:18:14 GMT', 'b=2; Path=/']);
    expect(r.headers.get('content-length')).toBe('256');
    expect([...new Uint8Array(await r.arrayBuffer())]).toEqual(Array.from({ length: 256 }, (_, i) => i));
  });

  test('passes everything on, streamed, with the trace', async () => {
    const big = 'x'.repeat(3_000_000);
    const r = await fetch(`${base}/echo/a%20b/c?q=1&q=2`, { method: 'PUT', body: big });
    expect([r.status, r.headers.get('x-path'), r.headers.get('x-method')]).toEqual([201, '/a%20b/c?q=1&q=2', 'PUT']);
    expect(r.headers.get('x-traceparent')).toMatch(/^00-/);
    expect(await r.text()).toBe(big);
    expect((await fetch(`${base}/echo`)).headers.get('x-path')).toBe('/');
  });

  test('a backend that is not there is a 503; one that breaks off breaks the reply off', async () => {
    expect((await fetch(`${base}/gone/x`)).status).toBe(503);
    await expect(fetch(`${base}/echo/cut`).then((r) => r.text())).rejects.toThrow();
  });
});

/** The first whole reply of what came (RFC 9112 §6.3: a length, or chunks of §7.1), and where it ends. */
function firstReply(text: string): { status: number; body: string; end: number } | undefined {
  const head = text.indexOf('\r\n\r\n');
  if (head < 0) return undefined;
  const status = Number(text.slice(9, 12));
  let at = head + 4;
  if (!/\r\ntransfer-encoding: chunked\r\n/i.test(text.slice(0, head + 2))) {
    const end = at + Number(/\r\ncontent-length: (\d+)/i.exec(text.slice(0, head))?.[1] ?? 0);
    return text.length < end ? undefined : { status, body: text.slice(at, end), end };
  }
  for (let body = ''; ;) {
    const line = text.indexOf('\r\n', at);
    const size = parseInt(text.slice(at, line), 16);
    if (line < 0 || text.length < line + 4 + size) return undefined;
    body += text.slice(line + 2, line + 2 + size);
    at = line + 4 + size;
    if (size === 0) return { status, body, end: at };
  }
}

/** Replies on one connection, one behind the other (RFC 9112 §9.3.2). */
async function overOne(
  port: number,
  texts: readonly string[],
  wanted: number,
): Promise<{ status: number; body: string }[]> {
  const socket = connect(port, '127.0.0.1');
  const replies: { status: number; body: string }[] = [];
  let rest = '';
  await new Promise<void>((resolve, reject) => {
    socket.on('error', reject);
    socket.on('close', () => resolve());
    socket.on('data', (bytes) => {
      rest += bytes.toString('latin1');
      for (let reply = firstReply(rest); reply; reply = firstReply(rest)) {
        replies.push({ status: reply.status, body: reply.body });
        rest = rest.slice(reply.end);
      }
      if (replies.length >= wanted) resolve();
    });
    void (async () => {
      for (const text of texts) {
        socket.write(text, 'latin1');
        await new Promise((r) => setTimeout(r, 15));
      }
    })();
  });
  socket.destroy();
  return replies;
}

describe('one connection for many requests', () => {
  const get = (path: string) => `GET ${path} HTTP/1.1\r\nhost: h\r\n\r\n`;
  const post = (path: string, body: string, more = '') =>
    `POST ${path} HTTP/1.1\r\nhost: h\r\n${more}content-length: ${body.length}\r\n\r\n${body}`;

  test('with and without bodies, in turn and one behind the other before any reply (RFC 9112 §9.3.2)', async () => {
    const texts = [get('/echo/1'), post('/echo/2', 'two'), get('/echo/3') + post('/echo/4', 'four') + get('/echo/5')];
    const replies = await overOne(gateway.port, [...texts, post('/echo/6', '')], 6);
    expect(replies.map((r) => `${r.status} ${r.body}`)).toEqual([
      '201 ',
      '201 two',
      '201 ',
      '201 four',
      '201 ',
      '201 ',
    ]);
  });

  test('a body in pieces, after requests that had none', async () => {
    const head = 'POST /echo/x HTTP/1.1\r\nhost: h\r\ncontent-length: 6\r\n\r\n';
    const replies = await overOne(gateway.port, [get('/echo/1'), head, 'abc', `def${get('/echo/2')}`], 3);
    expect(replies.map((r) => r.body)).toEqual(['', 'abcdef', '']);
  });

  test('a body that nobody reads closes the connection after the answer (RFC 9112 §9.6); none keeps it open', async () => {
    const before = [get('/nowhere'), get('/nowhere'), get('/echo/1')];
    const replies = await overOne(gateway.port, [...before, post('/nowhere', 'x'), get('/echo/1')], 5);
    expect(replies.map((r) => r.status)).toEqual([404, 404, 201, 404]);
  });
});

test('the control port tells health, readiness and Prometheus metrics', async () => {
  const control = `http://127.0.0.1:${gateway.controlPort}`;
  expect(await (await fetch(`${control}/readyz`)).json()).toMatchObject({
    ready: true,
    revision: 'test',
    feed: 'none',
  });
  expect((await fetch(`${control}/healthz`)).status).toBe(200);
  expect(await (await fetch(`${control}/remembered?tag=tides`, { method: 'DELETE' })).json()).toEqual({ forgotten: 0 });
  const text = await (await fetch(`${control}/metrics`)).text();
  expect(text).toMatch(/hinge_requests_total\{api="berths",operation="GetBerth",status="200"\} \d+/);
  // Buckets add up, and the last holds all (Prometheus text format, "Histograms and summaries").
  const buckets = [...text.matchAll(/hinge_request_seconds_bucket\{le="([^"]+)",api="berths"\} (\d+)/g)].map((m) =>
    Number(m[2]),
  );
  expect(buckets).toHaveLength(13);
  expect(buckets).toEqual([...buckets].sort((a, b) => a - b));
  expect(text).toContain(`hinge_request_seconds_count{api="berths"} ${buckets[12]}`);
  const all = [...text.matchAll(/hinge_requests_total\{api="berths",[^}]*\} (\d+)/g)].reduce(
    (n, m) => n + Number(m[1]),
    0,
  );
  expect(all).toBe(buckets[12]);
});

test('a drain lets the request in flight end and takes no new one', async () => {
  const own = await startGateway({
    port: 0,
    config: { revision: 'd', apis: [{ slug: 'b', document: berthsDocument(`http://127.0.0.1:${standIn.port}/soap`) }] },
  });
  standIn.behaviour.delayMs = 300;
  const slow = fetch(`http://127.0.0.1:${own.port}/berths/v1/berths/N-07`, { headers });
  await new Promise((r) => setTimeout(r, 100));
  const stopped = own.stop();
  expect((await slow).status).toBe(200);
  await stopped;
  await expect(fetch(`http://127.0.0.1:${own.port}/berths/v1/berths/N-07`)).rejects.toThrow();
});

test('a browser that asks first is answered without a key; then the refusal says that the page may read it', async () => {
  const origin = 'https://desk.example';
  const asked = await fetch(`${base}/pages/any`, {
    method: 'OPTIONS',
    headers: { origin, 'access-control-request-method': 'PUT', 'access-control-request-headers': 'x-api-key' },
  });
  expect([asked.status, asked.headers.get('access-control-allow-origin')]).toEqual([204, origin]);
  expect(asked.headers.get('access-control-allow-headers')).toBe('x-api-key');
  const refused = await fetch(`${base}/pages/any`, { headers: { origin } });
  expect([refused.status, refused.headers.get('access-control-allow-origin')]).toEqual([401, origin]);
  const none = await fetch(`${base}/berths/v1/berths/N-07`, {
    method: 'OPTIONS',
    headers: { origin, 'access-control-request-method': 'GET' },
  });
  expect(none.status).toBe(405);
});
