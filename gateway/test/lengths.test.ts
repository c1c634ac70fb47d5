import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { draftProxy } from '@hinge/core';
import { createHash, randomBytes } from 'node:crypto';
import { request, type IncomingHttpHeaders } from 'node:http';
import { startGateway, type RunningGateway } from '../src';
import { listen } from './world';

/** What is passed on unread keeps its length, if it has one (RFC 9110 §8.6, RFC 9112 §6.3); what has none comes in chunks. */

const CONTENT = randomBytes(400_000);
const sha = (b: Buffer): string => createHash('sha256').update(b).digest('hex');

let gateway: RunningGateway;
let backend: Awaited<ReturnType<typeof listen>>;
let got: { headers: IncomingHttpHeaders; body: Buffer };
beforeAll(async () => {
  backend = await listen((req, res) => {
    const chunks: Buffer[] = [];
    req.on('data', (c: Buffer) => chunks.push(c));
    req.on('end', () => {
      got = { headers: req.headers, body: Buffer.concat(chunks) };
      if (req.url === '/304') res.writeHead(304, { etag: '"a"', 'content-length': CONTENT.length }).end();
      else if (req.url === '/sized') res.writeHead(200, { 'content-length': CONTENT.length }).end(CONTENT);
      else {
        res.write(CONTENT.subarray(0, 1000));
        res.end(CONTENT.subarray(1000));
      }
    });
  });
  gateway = await startGateway({
    port: 0,
    config: { revision: 'test', apis: [{ slug: 'p', document: draftProxy(backend.url, { name: 'P', base: '/p' }) }] },
  });
});
afterAll(async () => {
  await gateway.stop();
  await backend.stop();
});

function send(method: string, path: string, headers: Record<string, string | number> = {}, body?: Buffer) {
  return new Promise<{ status: number; headers: IncomingHttpHeaders; body: Buffer }>((resolve, reject) => {
    const req = request({ port: gateway.port, method, path: `/p${path}`, headers }, (res) => {
      const chunks: Buffer[] = [];
      res.on('data', (c: Buffer) => chunks.push(c));
      res.on('end', () => resolve({ status: res.statusCode!, headers: res.headers, body: Buffer.concat(chunks) }));
    });
    req.on('error', reject);
    if (body) {
      req.write(body.subarray(0, 100));
      req.write(body.subarray(100));
    }
    req.end();
  });
}
const framing = ({ 'content-length': length, 'transfer-encoding': coding }: IncomingHttpHeaders) => [length, coding];

test('a long answer', async () => {
  const sized = await send('GET', '/sized');
  expect(framing(sized.headers)).toEqual(['400000', undefined]);
  expect(sha(sized.body)).toBe(sha(CONTENT));
  const chunked = await send('GET', '/pieces');
  expect(framing(chunked.headers)).toEqual([undefined, 'chunked']);
  expect(sha(chunked.body)).toBe(sha(CONTENT));
});

test('HEAD tells of the body that GET would have; 304 has none', async () => {
  const head = await send('HEAD', '/sized');
  expect(framing(head.headers)).toEqual(['400000', undefined]);
  expect(head.body).toHaveLength(0);
  const kept = await send('GET', '/304', { 'if-none-match': '"a"' });
  expect([kept.status, kept.headers.etag, kept.body.length]).toEqual([304, '"a"', 0]);
  // The connection goes on behind both.
  expect((await send('GET', '/sized')).body).toHaveLength(CONTENT.length);
});

test('a long request', async () => {
  expect((await send('PUT', '/sized', { 'content-length': CONTENT.length }, CONTENT)).status).toBe(200);
  expect(framing(got.headers)).toEqual(['400000', undefined]);
  expect(sha(got.body)).toBe(sha(CONTENT));
  await send('PUT', '/sized', {}, CONTENT);
  expect(framing(got.headers)).toEqual([undefined, 'chunked']);
  expect(sha(got.body)).toBe(sha(CONTENT));
});

test('a request of no bytes', async () => {
  await send('POST', '/sized', { 'content-length': 0 });
  expect(framing(got.headers)).toEqual(['0', undefined]);
  expect(got.body).toHaveLength(0);
});
