import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { draftFor, readOpenApi } from '@hinge/core';
import { createHash, randomBytes } from 'node:crypto';
import type { IncomingHttpHeaders } from 'node:http';
import { startGateway, type RunningGateway } from '../src';
import { listen } from './world';

/** Files on their way: forms of parts as `fetch` sends them, through a drafted API, read at the other end by `Response.formData`. */

const OPENAPI = `openapi: 3.1.0
info: { title: Vault, version: '1' }
servers: [{ url: 'http://127.0.0.1:9' }]
paths:
  /documents:
    post:
      operationId: addDocument
      requestBody:
        required: true
        content:
          multipart/form-data:
            schema: { type: object, required: [file], properties: { file: { contentMediaType: image/png }, note: { type: string } } }
      responses: { '204': { description: made } }
`;

let gateway: RunningGateway;
let backend: Awaited<ReturnType<typeof listen>>;
let got: { headers: IncomingHttpHeaders; raw: Buffer };
beforeAll(async () => {
  backend = await listen((req, res) => {
    const chunks: Buffer[] = [];
    req.on('data', (c: Buffer) => chunks.push(c));
    req.on('end', () => {
      got = { headers: req.headers, raw: Buffer.concat(chunks) };
      res.writeHead(204).end();
    });
  });
  const source = { entry: 'v.yaml', files: { 'v.yaml': OPENAPI } };
  const d = draftFor(readOpenApi(source), source, undefined, { base: '/vault', address: backend.url });
  const checked = {
    ...d,
    api: { ...d.api, name: 'Checked' },
    doors: [{ ...d.doors[0]!, path: '/checked' }],
    guards: [{ kind: 'schema' as const }],
  };
  gateway = await startGateway({
    port: 0,
    config: {
      revision: 'test',
      apis: [
        { slug: 'vault', document: { ...d, guards: [] } },
        { slug: 'checked', document: checked },
      ],
    },
  });
});
afterAll(async () => {
  await gateway.stop();
  await backend.stop();
});

const upload = (path: string, body: FormData | string, headers: Record<string, string> = {}) =>
  fetch(`http://127.0.0.1:${gateway.port}${path}/documents`, { method: 'POST', body, headers });
const formOf = (): Promise<FormData> =>
  new Response(new Uint8Array(got.raw), { headers: { 'content-type': got.headers['content-type']! } }).formData();
const sha = (b: Buffer): string => createHash('sha256').update(b).digest('hex');

describe.each(['/vault', '/checked'])('a file through %s', (path) => {
  test('arrives as it was sent', async () => {
    const content = randomBytes(2_000_000);
    const form = new FormData();
    form.append('file', new File([content], 'Plan ä.png', { type: 'image/png' }));
    form.append('note', 'ß');
    expect((await upload(path, form)).status).toBe(204);
    const there = await formOf();
    const file = there.get('file') as File;
    expect([file.name, file.type, sha(Buffer.from(await file.arrayBuffer()))]).toEqual([
      'Plan ä.png',
      'image/png',
      sha(content),
    ]);
    expect(there.get('note')).toBe('ß');
  });

  test('or as JSON, its bytes in base64', async () => {
    const content = randomBytes(100_000);
    const value = { file: { data: content.toString('base64'), filename: 'a.png', mediaType: 'image/png' }, note: 'ß' };
    const r = await upload(path, JSON.stringify(value), { 'content-type': 'application/json' });
    expect(r.status).toBe(204);
    const there = await formOf();
    expect(sha(Buffer.from(await (there.get('file') as File).arrayBuffer()))).toBe(sha(content));
    expect(there.get('note')).toBe('ß');
  });
});

test('one that is missing is told before the backend is called', async () => {
  const form = new FormData();
  form.append('note', 'alone');
  const r = await upload('/checked', form);
  expect([r.status, await r.json()]).toMatchObject([400, { errors: [{ pointer: '/file', code: 'missing' }] }]);
});
