import { describe, expect, test } from '@jest/globals';
import { compareContracts, draftFor, exportOpenApi, readOpenApi } from '../src';
import { ask, queryOf } from './ask-world';
import { applyCallers, callersOpenApi } from '../src/text/callers';

describe('header fields of replies, links, items by their place', () => {
  const TIDES = `openapi: 3.1.0
info: { title: Tides, version: "1" }
paths:
  /gauges/{id}:
    get:
      operationId: gauge.get
      parameters:
        - { name: id, in: path, required: true, schema: { type: string } }
        - { name: between, in: query, explode: false, schema: { type: array, prefixItems: [{ type: number }, { type: string }], items: false } }
        - { name: near, in: query, style: deepObject, schema: { type: object, required: [lat], properties: { lat: { type: number }, lon: { type: number } } } }
      responses:
        '200':
          description: ok
          headers:
            ETag: { $ref: '#/components/headers/Tag' }
            X-Rate: { required: true, description: Left, schema: { type: integer } }
            Content-Type: { schema: { type: string } }
            Connection: { schema: { type: string } }
          content: { application/json: { schema: { type: object } } }
          links: { a: { operationId: gauge.get }, b: { operationRef: '#/paths/~1gauges~1{id}/get' }, c: { operationId: elsewhere } }
        '404': { description: none, headers: { Retry-After: { schema: { type: integer } } } }
components: { headers: { Tag: { schema: { type: string } } } }
`;
  const s = { entry: 't.yaml', files: { 't.yaml': TIDES } };
  const tides = readOpenApi(s);
  const d = draftFor(tides, s, undefined, { address: 'http://backend.example' });
  const get = d.operations.gauge_get!;

  test('fields that a reply declares are kept, told in the exported document, and read back', () => {
    expect(get.reply!.headers).toEqual({
      ETag: { schema: { type: 'string' } },
      'X-Rate': { required: true, description: 'Left', schema: { type: 'integer' } },
    });
    expect(get.otherReplies!['404']!.headers).toEqual({ 'Retry-After': { schema: { type: 'integer' } } });
    expect(get.flow.at(-1)).toMatchObject({
      fields: [
        { to: '/body', from: 'body' },
        { to: '/headers/etag', from: 'headers.etag' },
        { to: '/headers/x-rate', from: 'headers.`x-rate`' },
      ],
    });
    const exported = JSON.stringify(exportOpenApi(d));
    const again = readOpenApi({ entry: 'a.json', files: { 'a.json': exported } }).operations[0]!;
    expect(again.http!.replies.find((r) => r.status === '200')!.headers).toEqual(
      tides.operations[0]!.http!.replies[0]!.headers,
    );
    const back = applyCallers(d, callersOpenApi(d), () => ({}));
    expect([back.document.operations.gauge_get!.reply, back.document.operations.gauge_get!.otherReplies]).toEqual([
      get.reply,
      get.otherReplies,
    ]);
  });
  test('and reach callers', async () => {
    const headers = { etag: '"1"', 'x-rate': '7', 'x-inner': 'n' };
    const reply = await ask(d, 'gauge_get', { path: { id: 'a' } }, { text: '{}', headers });
    expect(reply.headers).toEqual({
      'content-type': 'application/json',
      etag: '"1"',
      'x-rate': '7',
      vary: 'accept',
    });
  });
  test('a newer contract that drops or adds them is told', () => {
    const newer = TIDES.replace('ETag: {', 'ETag2: {').replace('X-Rate: {', 'x-rate2: {');
    const changes = compareContracts(tides, readOpenApi({ entry: 't.yaml', files: { 't.yaml': newer } }));
    expect(changes.map((c) => `${c.place} ${c.words} ${c.judged}`)).toEqual([
      'reply 200 header etag is gone risky',
      'reply 200 header x-rate is gone breaking',
      'reply 200 header etag2 is new safe',
      'reply 200 header x-rate2 is new safe',
    ]);
  });
  test('links lead to the operation that they name, whatever it is called here', () => {
    expect(tides.operations[0]!.http!.links.map((l) => l.operationId)).toEqual(['gauge_get', 'gauge_get', 'elsewhere']);
  });
  test('items by their place, and where in a parameter something is wrong', async () => {
    const path = { id: 'a' };
    const good = await ask(d, 'gauge_get', { path, query: { between: [1.5, 'x'] } }, { text: '{}' });
    expect([good.errors, queryOf(good.sent)]).toEqual([undefined, 'between=1.5,x']);
    const bad = await ask(d, 'gauge_get', { path, query: { between: ['u', 'x', 'y'], near: { lon: 'v' } } });
    expect(bad.errors).toEqual([
      'between not: /2 nothing may stand here',
      'between type: /0 must be a number',
      'near required: lat is missing',
      'near type: /lon must be a number',
    ]);
  });
});
