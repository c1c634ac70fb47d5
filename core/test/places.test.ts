import { describe, expect, test } from '@jest/globals';
import {
  Body,
  compileApi,
  draftFor,
  draftProxy,
  incomingOf,
  readOpenApi,
  rehearse,
  type FlowDocument,
  type Headers,
} from '../src';
import { ask } from './ask-world';

const BERTHS = `openapi: 3.1.0
info: { title: Berths, version: "1" }
paths:
  /quays/{quay}/berths:
    get: { operationId: list, parameters: [{ $ref: '#/components/parameters/Quay' }, { name: page, in: query, schema: { type: integer } }], responses: { '200': { description: ok } } }
    post: { operationId: add, parameters: [{ $ref: '#/components/parameters/Quay' }], responses: { '201': { description: made }, '303': { description: there is one } } }
  /quays/{quay}/berths/{id}:
    delete: { operationId: drop, parameters: [{ $ref: '#/components/parameters/Quay' }, { $ref: '#/components/parameters/Id' }], responses: { '204': { description: gone } } }
    get: { operationId: one, parameters: [{ $ref: '#/components/parameters/Quay' }, { $ref: '#/components/parameters/Id' }], responses: { '200': { description: ok } } }
  /quays/{quay}/berths/free:
    get: { operationId: free, parameters: [{ $ref: '#/components/parameters/Quay' }], responses: { '200': { description: ok } } }
components:
  parameters: { Quay: { name: quay, in: path, required: true, schema: { type: string } }, Id: { name: id, in: path, required: true, schema: { type: string } } }
`;
const source = { entry: 'b.yaml', files: { 'b.yaml': BERTHS } };
const drafted = (): FlowDocument =>
  draftFor(readOpenApi(source), source, undefined, { address: 'http://backend.example:81/v2', base: '/harbour' });

async function headersOf(
  d: FlowDocument,
  id: string,
  headers: Headers,
  status = 201,
  path: Record<string, string> = { quay: 'N', id: '1' },
) {
  const op = [...compileApi(d).operations.values()][0]!.find((o) => o.id === id)!;
  const r = await rehearse(op, incomingOf(op, d.doors[0]!.path, { path }), {
    ports: {
      clock: { now: () => 0 },
      backends: { send: () => Promise.resolve({ status, headers, body: Body.empty() }) },
    },
    env: {},
    traceId: 't',
    outbound: {},
  });
  const moved = r.steps.find((s) => s.kind === 'call')?.notes?.moved;
  return { status: r.reply.status, headers: r.reply.headers, moved };
}
const location = async (given: string, d = drafted(), id = 'add') =>
  (await headersOf(d, id, { location: given })).headers.location;

describe('Location of a backend (RFC 9110 §10.2.2) is told as callers reach it', () => {
  test.each([
    ['the whole address', 'http://backend.example:81/v2/quays/N/berths/7', '/harbour/quays/N/berths/7'],
    ['a path', '/v2/quays/N/berths/7?full=1#top', '/harbour/quays/N/berths/7?full=1#top'],
    ['relative to what was asked for', 'berths/7', '/harbour/quays/N/berths/7'],
    ['with what must be escaped', '/v2/quays/N%2F1/berths/a%20b', '/harbour/quays/N%2F1/berths/a%20b'],
    ['a fixed part before a parameter', '/v2/quays/N/berths/free', '/harbour/quays/N/berths/free'],
    ['another machine', 'http://other.example/v2/quays/N/berths/7', 'http://other.example/v2/quays/N/berths/7'],
    ['another port', 'http://backend.example/v2/quays/N/berths/7', 'http://backend.example/v2/quays/N/berths/7'],
    ['outside of its address', '/v3/quays/N/berths/7', '/v3/quays/N/berths/7'],
    ['what nobody here leads to', '/v2/ships/7', '/v2/ships/7'],
    ['no address at all', 'http://[', 'http://['],
  ])('%s', async (_words, given, wanted) => {
    expect(await location(given)).toBe(wanted);
  });

  test('paths and parameters that the designer called otherwise', async () => {
    const d = drafted();
    const one = d.operations.one!;
    d.operations.one = {
      ...one,
      path: '/places/{number}/of/{quay}',
      parameters: one.parameters!.map((p) => (p.name === 'id' ? { ...p, name: 'number' } : p)),
      flow: one.flow.map((s) =>
        s.kind === 'map' && typeof s.to === 'object'
          ? { ...s, fields: s.fields!.map((f) => (f.to === '/path/id' ? { ...f, from: 'path.number' } : f)) }
          : s,
      ),
    };
    expect(await location('/v2/quays/N/berths/7', d)).toBe('/harbour/places/7/of/N');
  });
  test('what cannot be read here is found where it can be changed; internal operations are no place', async () => {
    const d = drafted();
    delete d.operations.one;
    expect(await location('/v2/quays/N/berths/7', d)).toBe('/harbour/quays/N/berths/7');
    d.operations.drop = { ...d.operations.drop!, internal: true };
    expect(await location('/v2/quays/N/berths/7', d)).toBe('/v2/quays/N/berths/7');
  });
  test('of a reply that is no success too, and the trace says what came', async () => {
    const given = { location: 'http://backend.example:81/v2/quays/N/berths/7' };
    const r = await headersOf(drafted(), 'add', given, 303);
    expect([r.status, r.headers.location, r.moved]).toEqual([303, '/harbour/quays/N/berths/7', given]);
  });
  test('through a plain proxy: every path below its own; Link (RFC 8288) and Content-Location with it', async () => {
    const d = draftProxy('http://backend.example:81/v2/', { base: '/p' });
    const r = await headersOf(
      d,
      'any',
      {
        location: 'http://backend.example:81/v2',
        'content-location': '/v2/a?b=c',
        link: '</v2/quays?page=2>; rel="next", <http://other.example/v2/>; rel="help", <?page=1>; rel=prev',
      },
      200,
      { '*': '/quays' },
    );
    expect(r.headers).toMatchObject({
      location: '/p/',
      'content-location': '/p/a?b=c',
      link: '</p/quays?page=2>; rel="next", <http://other.example/v2/>; rel="help", </p/quays?page=1>; rel=prev',
    });
  });
  test('cookies come back: Path below the door, no Domain of the backend (RFC 6265 §5.2.3, §5.2.4); the trace keeps no value', async () => {
    const d = draftProxy('http://backend.example:81/v2/', { base: '/p' });
    const cookies = [
      'a=1; Path=/v2; HttpOnly',
      'b=2;Domain=.example; path=/v2/quays; Expires=Wed, 09 Jun 2027 10:18:14 GMT',
      'c=3; Path=/; Domain=other.example',
      'd=4; Path=/v22',
      'e=Path=/v2',
    ];
    const headers = { 'set-cookie': cookies.join('\n') };
    const came = await ask(d, 'any', { path: { '*': '/quays' } }, { text: '', headers });
    expect(came.headers['set-cookie']!.split('\n')).toEqual([
      'a=1; Path=/p; HttpOnly',
      'b=2; Path=/p/quays; Expires=Wed, 09 Jun 2027 10:18:14 GMT',
      'c=3; Path=/; Domain=other.example',
      'd=4; Path=/v22',
      'e=Path=/v2',
    ]);
    // A rehearsal shows no cookie, and says what became of it.
    const r = await headersOf(d, 'any', headers, 200, { '*': '/quays' });
    expect([r.headers['set-cookie'], r.moved]).toEqual(['***', { 'set-cookie': 'Path or Domain' }]);
    const plain = draftProxy('http://backend.example:81', { base: '/p' });
    const same = { text: '', headers: { 'set-cookie': 'a=1; Path=/quays' } };
    expect((await ask(plain, 'any', { path: { '*': '/quays' } }, same)).headers).toMatchObject(same.headers);
  });
  test('a door at the root', async () => {
    const d = { ...drafted(), doors: [{ name: 'public', path: '/' }] };
    expect(await location('/v2/quays/N/berths/7', d)).toBe('/quays/N/berths/7');
  });
});
