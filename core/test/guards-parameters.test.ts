import { describe, expect, test } from '@jest/globals';
import {
  Body,
  checkDocument,
  compileApi,
  effectiveGuards,
  GUARD_ORDER,
  showMessage,
  writeJson,
  type FlowDocument,
  type Incoming,
  type ParameterDocument,
} from '../src';
import { compileParameters } from '../src/flow/parameters';

const document = (part: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'A', version: '1' },
  doors: [
    { name: 'one', path: '/a' },
    { name: 'two', path: '/b', guards: [{ kind: 'size', maxBytes: 1000 }] },
  ],
  guards: [{ kind: 'size', maxBytes: 10 }, { kind: 'schema' }],
  operations: {
    op: {
      method: 'POST',
      path: '/',
      request: { mediaType: 'application/json', schema: { type: 'object' } },
      flow: [{ kind: 'reply', status: 200, mediaType: 'text/plain', body: 'ok' }],
    },
  },
  ...part,
});
const incoming = (text: string, headers: Record<string, string> = {}): Incoming => {
  const bytes = new TextEncoder().encode(text);
  return {
    method: 'POST',
    url: '/a',
    path: {},
    query: {},
    search: '',
    rest: '',
    headers: { 'content-type': 'application/json', ...headers },
    body: Body.ofSource(async () => bytes, 'application/json'),
  };
};
const send = async (d: FlowDocument, door: string, i: Incoming) => {
  const context = {
    ports: { clock: { now: () => 0 }, backends: { send: () => Promise.reject(new Error('none')) } },
    env: {},
    traceId: 't',
    outbound: {},
  };
  const out = await compileApi(d).operations.get(door)![0]!.handle(i, context);
  return { status: out.reply.status, text: out.reply.body.text() };
};

describe('guards', () => {
  test('the nearest one of a kind wins, also when it is off; the order is that of the kinds', () => {
    const d = document();
    const op = d.operations.op!;
    const kinds = (door: number, operation = op) =>
      effectiveGuards(d, d.doors[door], operation, GUARD_ORDER).map((g) => `${g.guard.kind} of ${g.origin}`);
    expect(kinds(0)).toEqual(['size of api', 'schema of api']);
    expect(kinds(1)).toEqual(['size of door', 'schema of api']);
    expect(kinds(1, { ...op, guards: [{ kind: 'size', maxBytes: 0, off: true }] })).toEqual(['schema of api']);
  });

  test('size: a declared length is refused unread, an undeclared one is counted; another door, another bound', async () => {
    const long = JSON.stringify({ a: 'x'.repeat(50) });
    let read = false;
    const unread: Incoming = {
      ...incoming(long, { 'content-length': '58' }),
      body: Body.ofSource(async () => ((read = true), new Uint8Array()), 'application/json'),
    };
    expect((await send(document(), 'one', unread)).status).toBe(413);
    expect(read).toBe(false);
    expect((await send(document(), 'one', incoming(long, { 'transfer-encoding': 'chunked' }))).status).toBe(413);
    expect((await send(document(), 'two', incoming(long, { 'content-length': '58' }))).status).toBe(200);
    expect((await send(document(), 'one', incoming('{}', { 'content-length': '2' }))).text).toBe('ok');
  });

  test('schema off lets anything through that the flow can live with', async () => {
    const d = document({ guards: [{ kind: 'schema', off: true }] });
    expect((await send(d, 'one', incoming('not json'))).status).toBe(200);
    expect((await send(document({ guards: [{ kind: 'schema' }] }), 'one', incoming('not json'))).status).toBe(400);
    expect((await send(document({ guards: [{ kind: 'schema' }] }), 'one', incoming('[]'))).text).toContain(
      'must be an object',
    );
  });

  test('every +json type is JSON where JSON is wanted (RFC 6839 §3.1)', async () => {
    const d = document({ guards: [{ kind: 'schema' }] });
    expect((await send(d, 'one', incoming('{}', { 'content-type': 'application/merge-patch+json' }))).status).toBe(200);
    expect((await send(d, 'one', incoming('{}', { 'content-type': 'APPLICATION/JSON; charset=utf-8' }))).status).toBe(
      200,
    );
    expect((await send(d, 'one', incoming('<a/>', { 'content-type': 'text/plain' }))).status).toBe(415);
    // A door that only answers JSON takes no XML either.
    const fixed = { ...d, doors: d.doors.map((x) => ({ ...x, answers: 'json' as const })) };
    expect((await send(fixed, 'one', incoming('<a/>', { 'content-type': 'text/xml' }))).status).toBe(415);
  });
});

describe('parameters by their schemas', () => {
  const p = (
    name: string,
    where: ParameterDocument['in'],
    schema: ParameterDocument['schema'],
    required = false,
  ): ParameterDocument => ({ name, in: where, schema, required });
  const parse = compileParameters(
    [
      p('n', 'query', { type: 'integer', minimum: 1 }),
      p('d', 'query', { type: 'number' }),
      p('b', 'query', { type: 'boolean' }),
      p('many', 'query', { type: 'array', items: { type: 'integer' }, maxItems: 2 }),
      p('id', 'path', { type: 'string' }),
      p('X-List', 'header', { type: 'array', items: { type: 'string' } }),
      p('need', 'header', { type: 'string' }, true),
      p('float', 'query', { anyOf: [{ type: 'number' }, { enum: ['INF'] }] }),
    ],
    {},
  );
  const faults = (query: Record<string, string | string[]>, headers: Record<string, string> = { need: 'x' }) =>
    parse({ id: '1' }, query, headers).faults.map((f) => `${f.parameter} ${f.code}`);

  test('are typed, digits kept, lists repeated in queries and with commas in headers', () => {
    const out = parse(
      { id: '007' },
      { n: '12', d: '0.90', b: 'true', many: ['1', '2'], float: 'INF' },
      { need: 'x', 'x-list': 'a, b' },
    );
    expect(writeJson(out.query)).toBe('{"n":12,"d":0.90,"b":true,"many":[1,2],"float":"INF"}');
    expect([out.path, out.header, out.faults]).toEqual([{ id: '007' }, { 'X-List': ['a', 'b'], need: 'x' }, []]);
  });

  test('one value of a list is a list', () =>
    expect(parse({ id: '1' }, { many: '5' }, { need: 'x' }).query).toEqual({ many: [5] }));

  test.each([
    [{ n: '0' }, ['n minimum']],
    [{ n: '1.5' }, ['n type']],
    [{ n: '' }, ['n type']],
    [{ n: '007' }, ['n type']],
    [{ n: ['1', '2'] }, ['n type']],
    [{ b: 'yes' }, ['b type']],
    [{ many: ['1', 'x', '3'] }, ['many maxItems', 'many type']],
    [{ other: '1' }, ['other additionalProperties']],
  ])('%j is told as %j', (query, want) => expect(faults(query as Record<string, string>)).toEqual(want));

  test('a missing one is named', () => expect(faults({}, {})).toEqual(['need required']));
});

test('a message is shown with secrets masked, long bodies cut, bytes never as text', () => {
  const shown = showMessage({
    headers: { authorization: 'Bearer x', cookie: 'a', 'x-api-key': 'k', accept: '*/*' },
    body: Body.ofText('x'.repeat(300_000), 'text/plain'),
  });
  expect(shown.headers).toEqual({ authorization: '***', cookie: '***', 'x-api-key': '***', accept: '*/*' });
  expect([shown.cut, shown.text!.length, shown.bytes]).toEqual([true, 262_144, 300_000]);
  expect(showMessage({ headers: {}, body: Body.ofBytes(new Uint8Array([1, 2, 3]), 'image/png') })).toMatchObject({
    bytes: 3,
  });
  expect(showMessage({ headers: {}, body: Body.ofSource(async () => new Uint8Array(5), 'text/plain') })).toMatchObject({
    bytes: 0,
  });
});

test('a body is read once, however many ask', async () => {
  let reads = 0;
  const body = Body.ofSource(async () => (reads++, new TextEncoder().encode('{"a":0.10}')), 'application/json');
  expect(() => body.text()).toThrow('not been loaded');
  await body.load();
  await body.load();
  expect([reads, body.text(), writeJson(body.value()), body.byteLength, body.pending]).toEqual([
    1,
    '{"a":0.10}',
    '{"a":0.10}',
    10,
    false,
  ]);
});

test('bodies in other encodings are read by their declaration, unreadable ones refused', () => {
  const latin = Uint8Array.from(
    [...'<?xml version="1.0" encoding="ISO-8859-1"?><a>', 'é', '</a>']
      .join('')
      .split('')
      .map((c) => c.charCodeAt(0)),
  );
  expect(Body.ofBytes(latin, 'application/xml').text()).toContain('<a>é</a>');
  expect(Body.ofBytes(Uint8Array.from([0xff, 0xfe, 0x3c, 0, 0x61, 0, 0x2f, 0, 0x3e, 0]), 'text/xml').text()).toBe(
    '<a/>',
  );
  expect(() => Body.ofBytes(Uint8Array.from([0x3c, 0x61, 0xff, 0x3e]), 'text/xml').text()).toThrow(
    /not readable as utf-8/,
  );
});

test('a case for an operation that is gone, and two of one name, are findings', () => {
  const d = document({
    cases: [
      { name: 'x', operation: 'gone', request: {} },
      { name: 'y', operation: 'op', request: {} },
      { name: 'y', operation: 'op', request: {} },
    ],
  });
  expect(checkDocument(d).map((f) => `${f.code} ${f.place.pointer}`)).toEqual([
    'HNG-302 /cases/0/operation',
    'HNG-302 /cases/2/name',
  ]);
});
