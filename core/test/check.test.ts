import { describe, expect, test } from '@jest/globals';
import {
  Body,
  checkDocument,
  compileApi,
  curlLine,
  draftProxy,
  layoutTrack,
  planRest,
  readWsdl,
  typeFlow,
  type BackendRequest,
  type FlowDocument,
} from '../src';
import { answering, draft, source } from './flow-world';

describe('findings', () => {
  const findings = (edit: (d: FlowDocument) => void) => {
    const document = draft();
    edit(document);
    return checkDocument(document).map((f) => `${f.code} ${f.place.pointer}`);
  };
  const field = (d: FlowDocument, to: string, from: string | undefined) => {
    const map = d.operations.GetBerth!.flow[0]!;
    if (map.kind === 'map')
      map.fields =
        from === undefined
          ? map.fields!.filter((f) => f.to !== to)
          : map.fields!.map((f) => (f.to === to ? { ...f, from } : f));
  };
  test.each<[string, (d: FlowDocument) => void, string]>([
    ['a draft has none', () => undefined, ''],
    [
      'a required field without a source',
      (d) => field(d, '/body/id', undefined),
      'HNG-303 /operations/GetBerth/flow/0/fields',
    ],
    [
      'a mistake in an expression',
      (d) => field(d, '/body/id', 'path.id &'),
      'HNG-304 /operations/GetBerth/flow/0/fields/0/from',
    ],
    [
      'a name that is not in reach',
      (d) => field(d, '/body/id', 'id'),
      'HNG-304 /operations/GetBerth/flow/0/fields/0/from',
    ],
    [
      'a parameter that is not declared',
      (d) => field(d, '/body/id', 'path.number'),
      'HNG-310 /operations/GetBerth/flow/0/fields/0/from',
    ],
    [
      'a target that does not exist',
      (d) =>
        (d.operations.GetBerth!.flow[0] as { fields: { to: string }[] }).fields.push({
          to: '/body/nope',
          from: '1',
        } as never),
      'HNG-309 /operations/GetBerth/flow/0/fields/2/to',
    ],
    [
      'an unknown backend',
      (d) => ((d.operations.GetBerth!.flow[1] as { backend: string }).backend = 'x'),
      'HNG-302 /operations/GetBerth/flow/1/backend',
    ],
    [
      'an unknown operation',
      (d) => ((d.operations.GetBerth!.flow[1] as { operation: string }).operation = 'x'),
      'HNG-302 /operations/GetBerth/flow/1/operation',
    ],
    [
      'two on one path',
      (d) => (d.operations.GetReservation!.path = '/berths/{reservationNumber}'),
      'HNG-305 /operations/GetReservation/path',
    ],
    [
      'a path parameter that is not declared',
      (d) => (d.operations.GetBerth!.path = '/berths/{number}'),
      'HNG-306 /operations/GetBerth/path\nHNG-306 /operations/GetBerth/path',
    ],
    [
      'a missing content type',
      (d) => delete d.operations.GetBerth!.reply!.mediaType,
      'HNG-307 /operations/GetBerth/reply/mediaType',
    ],
    ['two doors on one base path', (d) => d.doors.push({ name: 'two', path: '/berths/v1/' }), 'HNG-311 /doors/1/path'],
    [
      'a contract that cannot be read',
      (d) => (d.backends!['berths-service']!.contract!.files!['berths.wsdl'] = '<x/>'),
      'HNG-110 /backends/berths-service/contract',
    ],
  ])('%s', (_name, edit, want) => {
    const found = findings(edit);
    // Without its contract the steps that name its operations have findings of their own.
    if (want.startsWith('HNG-110')) expect(found[0]).toBe(want);
    else expect(found.join('\n')).toBe(want);
  });
});

test('a plain proxy passes method, path, query, headers and body on, hop-by-hop fields apart (RFC 9110 §7.6.1)', async () => {
  const document = draftProxy('http://old.test/base/', { name: 'Old notices', base: '/old' });
  expect(checkDocument(document)).toEqual([]);
  let sent: BackendRequest | undefined;
  const api = compileApi(document).operations.get('public')![0]!;
  const outcome = await api.handle(
    {
      method: 'PUT',
      url: '/old/a/b',
      path: { '*': 'a/b' },
      query: {},
      search: '?q=1',
      rest: '/a/b',
      headers: { connection: 'x-drop', 'x-drop': '1', 'x-keep': '2', host: 'me' },
      body: Body.ofText('hello', 'text/plain'),
    },
    {
      ports: {
        clock: { now: () => 0 },
        backends: {
          send: async (r) => (
            (sent = r),
            { ...answering('ok', 201, 'text/plain'), headers: { 'content-type': 'text/plain', 'keep-alive': 'x' } }
          ),
        },
      },
      env: {},
      traceId: 't',
      outbound: {},
    },
  );
  expect(sent).toMatchObject({ url: 'http://old.test/base/a/b?q=1', method: 'PUT', headers: { 'x-keep': '2' } });
  expect(Object.keys(sent!.headers)).toEqual(['x-keep']);
  expect(outcome.reply).toMatchObject({ status: 201, headers: { 'content-type': 'text/plain' } });
  expect(Object.keys(outcome.reply.headers)).toEqual(['content-type']);
});

test('types along the flow: before, after, and headers that a map writes', () => {
  const rows = typeFlow(draft(), 'GetBerth');
  expect(rows.map((r) => [r.beforeWords, r.afterWords])).toEqual([
    ["the caller's request", 'GetBerth of berths-service'],
    ['GetBerth of berths-service', 'the reply of GetBerth'],
    ['the reply of GetBerth', 'the reply'],
  ]);
  expect(rows[0]!.before.map((r) => r.pointer)).toEqual(['/path/id', '/headers/officeCode']);
  expect(rows[0]!.after.map((r) => r.pointer)).toEqual(['/soapHeader/officeCode', '/body/id']);
});

test('the track is the same for the same flow, and scrolls when pins would touch', () => {
  const flow = draft().operations.GetBerth!.flow;
  const wide = layoutTrack(flow, 1280);
  expect(wide).toEqual(layoutTrack(flow, 1280));
  expect(wide.pins.map((p) => p.x)).toEqual([420, 640, 860]);
  const many = layoutTrack(
    Array.from({ length: 60 }, () => flow[0]!),
    1280,
  );
  expect(many.width).toBeGreaterThan(6000);
  expect(many.pins[1]!.x - many.pins[0]!.x).toBe(104);
  expect(layoutTrack([], 1280).pins).toEqual([]);
});

test('the curl line is quoted for a POSIX shell', () => {
  const document = draft();
  expect(
    curlLine(
      document,
      'GetBerth',
      { path: { id: "N'07" }, headers: { officeCode: 'TH-22' } },
      'http://127.0.0.1:4320/',
    ),
  ).toBe(`curl -i 'http://127.0.0.1:4320/berths/v1/berths/N'\\''07' -H 'officecode: TH-22'`);
  expect(curlLine(document, 'ReserveBerth', { body: { a: 1 } }, 'http://h')).toBe(
    `curl -i -X POST 'http://h/berths/v1/reservations' -H 'content-type: application/json' --data-binary '{"a":1}'`,
  );
});

test('the plan of the demo contract is what a colleague would have written', () => {
  expect(planRest(readWsdl(source)).map((r) => `${r.method} ${r.path} ${r.status}`)).toEqual([
    'GET /berths 200',
    'GET /berths/{id} 200',
    'POST /reservations 201',
    'PATCH /reservations/{reservationNumber} 200',
    'DELETE /reservations/{reservationNumber} 204',
    'GET /reservations/{reservationNumber} 200',
    'GET /reservations 200',
  ]);
});
