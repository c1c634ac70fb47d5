import { beforeAll, describe, expect, test } from '@jest/globals';
import {
  BackendFailure,
  Body,
  checkDocument,
  compileApi,
  curlLine,
  draftProxy,
  draftRest,
  incomingOf,
  layoutTrack,
  planRest,
  readWsdl,
  rehearse,
  typeFlow,
  type BackendReply,
  type BackendRequest,
  type FlowDocument,
  type Ports,
  type Rehearsal,
  type SampleRequest,
} from '../src';
import { berths } from './files';

const source = berths();
let base: FlowDocument;
beforeAll(() => {
  base = draftRest(readWsdl(source), source, undefined, { address: 'http://backend.test/soap' });
});
const draft = (): FlowDocument => structuredClone(base);

const envelope = (inner: string) =>
  `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><s:Body>${inner}</s:Body></s:Envelope>`;
const BERTH =
  '<b:GetBerthResponse xmlns:b="urn:tarnhaven:berths:2"><b:berth number="N-07"><b:quay>q</b:quay><b:lengthMetres>118.50</b:lengthMetres><b:depthMetres>7.10</b:depthMetres><b:surface>stone</b:surface><b:closedUntil xsi:nil="true"/></b:berth></b:GetBerthResponse>';

function answering(text: string, status = 200, mediaType = 'text/xml'): BackendReply {
  return { status, headers: { 'content-type': mediaType }, body: Body.ofText(text, mediaType) };
}

async function run(
  document: FlowDocument,
  operation: string,
  sample: SampleRequest,
  send: (r: BackendRequest) => BackendReply | Promise<BackendReply>,
  environment?: string,
): Promise<Rehearsal> {
  const ports: Ports = { clock: { now: () => performance.now() }, backends: { send: async (r) => send(r) } };
  const op = compileApi(document)
    .operations.get('public')!
    .find((o) => o.id === operation)!;
  return rehearse(op, incomingOf(op, document.doors[0]!.path, sample), {
    ports,
    environment,
    env: { officeCode: 'TH-22' },
    traceId: 't'.repeat(32),
    outbound: { traceparent: 'tp' },
  });
}

const GET = { path: { id: 'N-07' }, headers: { officeCode: 'TH-22' } };
const RESERVE = {
  headers: { officeCode: 'TH-22' },
  body: {
    berth: 'N-07',
    vessel: { callNumber: 'TV-40213' },
    draughtMetres: 6.4,
    stay: { from: '2026-12-04T05:30:00+01:00', until: '2026-12-06T05:30:00+01:00' },
  },
};

describe('a drafted flow', () => {
  test('folds JSON into SOAP and back, every message told, digits kept', async () => {
    let sent: BackendRequest | undefined;
    const r = await run(draft(), 'GetBerth', GET, (q) => ((sent = q), answering(envelope(BERTH))));
    expect(sent).toMatchObject({
      url: 'http://backend.test/soap',
      method: 'POST',
      headers: {
        soapaction: '"urn:tarnhaven:berths:2/GetBerth"',
        traceparent: 'tp',
        'content-type': 'text/xml; charset=utf-8',
      },
    });
    expect(r.reply.status).toBe(200);
    expect(r.reply.text).toBe(
      '{"berth":{"number":"N-07","quay":"q","lengthMetres":118.50,"depthMetres":7.10,"surface":"stone","closedUntil":null,"service":[]}}',
    );
    expect(r.steps.map((s) => [s.at, s.kind, s.taken])).toEqual([
      ['/0', 'map', true],
      ['/1', 'call', true],
      ['/2', 'map', true],
    ]);
    expect(r.steps[0]!.after!.text).toContain('<n1:id>N-07</n1:id>');
    expect(r.steps[1]!.after!.text).toContain('GetBerthResponse');
    expect(r.steps[1]!.before).toEqual(r.steps[0]!.after);
  });

  test('the same engine without an observer gives the same reply', async () => {
    const ports: Ports = { clock: { now: () => 0 }, backends: { send: async () => answering(envelope(BERTH)) } };
    const op = compileApi(draft())
      .operations.get('public')!
      .find((o) => o.id === 'GetBerth')!;
    const context = { ports, env: {}, traceId: 't', outbound: {} };
    const quiet = await op.handle(incomingOf(op, '/b', GET), context);
    const seen = await rehearse(op, incomingOf(op, '/b', GET), context);
    expect(quiet.reply.body.text()).toBe(seen.reply.text);
  });

  test('an empty reply is a 204 without a body', async () => {
    const r = await run(
      draft(),
      'CancelReservation',
      { path: { reservationNumber: 'R-1' }, headers: { officeCode: 'TH-22' } },
      () => answering(envelope('<b:CancelReservationResponse xmlns:b="urn:tarnhaven:berths:2"/>')),
    );
    expect(r.reply).toMatchObject({ status: 204, bytes: 0 });
  });

  test('optional query parameters may all be absent; the object above them is made all the same', async () => {
    let text = '';
    await run(
      draft(),
      'FindBerths',
      { headers: { officeCode: 'TH-22' }, query: { service: ['crane', 'water'] } },
      (q) => (
        (text = q.body.text()),
        answering(
          envelope(
            '<b:FindBerthsResponse xmlns:b="urn:tarnhaven:berths:2"><b:total>0</b:total></b:FindBerthsResponse>',
          ),
        )
      ),
    );
    expect(text).toContain('<n1:criteria><n1:service>crane</n1:service><n1:service>water</n1:service></n1:criteria>');
    const r = await run(
      draft(),
      'FindBerths',
      { headers: { officeCode: 'TH-22' } },
      (q) => (
        (text = q.body.text()),
        answering(
          envelope(
            '<b:FindBerthsResponse xmlns:b="urn:tarnhaven:berths:2"><b:total>0</b:total></b:FindBerthsResponse>',
          ),
        )
      ),
    );
    expect(text).toContain('<n1:criteria/>');
    expect(r.reply.text).toBe('{"total":0,"berth":[]}');
  });
});

describe('a request that breaks the contract is a 400 that names each fault', () => {
  const never = () => {
    throw new Error('the backend must not be called');
  };
  test.each([
    [
      'unknown, missing and wrong at once',
      { ...RESERVE, body: { colour: 1, berth: 'N-07', vessel: { callNumber: 'x' }, stay: { from: 'soon', until: 2 } } },
      ['/colour', '/draughtMetres', '/vessel/callNumber', '/stay/from', '/stay/until'],
    ],
    ['two of a choice', { ...RESERVE, body: { ...RESERVE.body, barge: { plate: 'B' } } }, ['']],
    ['no body', { headers: RESERVE.headers }, ['']],
    [
      'an XML-only rule, told with the JSON pointer',
      { ...RESERVE, body: { ...RESERVE.body, draughtMetres: 6.405 } },
      ['/draughtMetres'],
    ],
  ])('%s', async (_name, sample, pointers) => {
    const r = await run(draft(), 'ReserveBerth', sample, never);
    expect(r.reply.status).toBe(400);
    expect(r.reply.mediaType).toBe('application/problem+json');
    const body = r.reply.body as { errors: { pointer: string }[]; traceId: string };
    expect(body.errors.map((e) => e.pointer)).toEqual(expect.arrayContaining(pointers));
    expect(body.traceId).toBe('t'.repeat(32));
  });

  test('broken JSON says where; a wrong content type is a 415; parameters are named', async () => {
    expect(
      (
        await run(
          draft(),
          'ReserveBerth',
          { headers: { ...RESERVE.headers, 'content-type': 'application/json' }, body: '{"berth": }' },
          never,
        )
      ).reply.body,
    ).toMatchObject({ status: 400, detail: expect.stringContaining('character 11') });
    expect(
      (
        await run(
          draft(),
          'ReserveBerth',
          { headers: { ...RESERVE.headers, 'content-type': 'text/csv' }, body: 'a;b' },
          never,
        )
      ).reply.status,
    ).toBe(415);
    const p = await run(draft(), 'GetBerth', { path: { id: 'n7' }, query: { x: '1' } }, never);
    expect((p.reply.body as { errors: unknown }).errors).toEqual([
      expect.objectContaining({ parameter: 'id', code: 'pattern' }),
      expect.objectContaining({ parameter: 'officeCode', code: 'required' }),
      expect.objectContaining({ parameter: 'x', code: 'additionalProperties' }),
    ]);
  });
});

describe('a backend that fails is told apart, never with its address', () => {
  const fault = (code: string, detail = '') =>
    answering(
      envelope(
        `<s:Fault><faultcode>s:${code}</faultcode><faultstring>no</faultstring><detail>${detail}</detail></s:Fault>`,
      ),
      500,
    );
  const rows: [string, () => BackendReply, number, string][] = [
    [
      'not reachable',
      () => {
        throw new BackendFailure('unreachable', 'ECONNREFUSED');
      },
      503,
      'HNG-502',
    ],
    [
      'too slow',
      () => {
        throw new BackendFailure('timeout', 'x');
      },
      504,
      'HNG-503',
    ],
    [
      'cut off',
      () => {
        throw new BackendFailure('unreadable', 'x');
      },
      502,
      'HNG-504',
    ],
    ['HTML', () => answering('<html/>', 200, 'text/html'), 502, 'HNG-504'],
    ['XML that is no envelope', () => answering('<x/>'), 502, 'HNG-504'],
    ['a DTD', () => answering('<!DOCTYPE x [<!ENTITY a "b">]><x/>'), 502, 'HNG-504'],
    [
      'breaking its contract',
      () => answering(envelope('<b:GetBerthResponse xmlns:b="urn:tarnhaven:berths:2"/>')),
      502,
      'HNG-505',
    ],
    ["a fault of the caller's", () => fault('Client'), 400, 'HNG-506'],
    ["a fault of the server's", () => fault('Server'), 502, 'HNG-507'],
  ];
  test.each(rows)('%s', async (_name, send, status, code) => {
    const r = await run(draft(), 'GetBerth', GET, send);
    expect(r.reply.status).toBe(status);
    expect(r.error?.code).toBe(code);
    expect(r.reply.text).not.toContain('backend.test');
    expect(r.reply.body).toMatchObject({
      backend: 'berths-service',
      type: expect.stringContaining(code.toLowerCase()),
    });
    expect(r.steps.map((s) => s.taken)).toEqual([true, true, false]);
    expect(r.steps[1]!.error?.code).toBe(code);
  });

  test('a declared fault has its typed detail, and the status that the flow gives it', async () => {
    const document = draft();
    const step = document.operations.ReserveBerth!.flow[1]!;
    if (step.kind === 'call') step.faults = { BerthTaken: { status: 409, title: 'taken' } };
    const r = await run(document, 'ReserveBerth', RESERVE, () =>
      fault(
        'Client',
        '<b:BerthTaken xmlns:b="urn:tarnhaven:berths:2"><b:berth>N-07</b:berth><b:takenBy>R-1</b:takenBy><b:freeFrom>2026-12-09T00:00:00Z</b:freeFrom></b:BerthTaken>',
      ),
    );
    expect(r.reply.body).toMatchObject({
      status: 409,
      title: 'taken',
      type: '/problems/hng-506/BerthTaken',
      fault: { code: 'Client', reason: 'no', detail: { berth: 'N-07', takenBy: 'R-1' } },
    });
  });

  test('lenient passes over what the contract does not know', async () => {
    const document = draft();
    document.backends!['berths-service']!.reply = 'lenient';
    const r = await run(document, 'GetBerth', GET, () =>
      answering(envelope(BERTH.replace('</b:berth>', '<b:new/></b:berth>'))),
    );
    expect(r.reply.status).toBe(200);
    expect(
      (
        await run(draft(), 'GetBerth', GET, () =>
          answering(envelope(BERTH.replace('</b:berth>', '<b:new/></b:berth>'))),
        )
      ).reply.status,
    ).toBe(502);
  });

  test('a backend without an address is a 503 that says so, and a finding before', async () => {
    const document = draft();
    document.backends!['berths-service']!.address = undefined;
    document.backends!['berths-service']!.addresses = { production: 'http://elsewhere.test/' };
    expect((await run(document, 'GetBerth', GET, () => answering(''), 'sandbox')).error?.code).toBe('HNG-501');
    expect(checkDocument(document, { environments: ['sandbox'] })).toMatchObject([
      { code: 'HNG-301', place: { pointer: '/backends/berths-service/addresses/sandbox' } },
    ]);
    expect(checkDocument(document, { environments: ['production'] })).toEqual([]);
  });
});

describe('other steps', () => {
  test('set keeps variables, an expression of the library works, reply answers', async () => {
    const document = draft();
    document.operations.GetBerth!.flow = [
      { kind: 'set', values: { upper: '$uppercase(path.id)', office: 'env.officeCode' } },
      {
        kind: 'reply',
        status: 200,
        mediaType: 'application/json',
        from: '{"id": vars.upper, "office": vars.office}',
        headers: { 'X-A': 'b' },
      },
    ];
    const r = await run(document, 'GetBerth', GET, () => answering(''));
    expect(r.reply).toMatchObject({ status: 200, body: { id: 'N-07', office: 'TH-22' }, headers: { 'x-a': 'b' } });
  });

  test('a step that is off is passed over; a flow without a reply says so', async () => {
    const document = draft();
    document.operations.GetBerth!.flow[1]!.off = true;
    document.operations.GetBerth!.flow[2]!.off = true;
    const r = await run(document, 'GetBerth', GET, () => answering(''));
    expect(r.error).toMatchObject({ code: 'HNG-420', inner: expect.stringContaining('without a reply') });
    expect(checkDocument(document)).toEqual(expect.arrayContaining([expect.objectContaining({ code: 'HNG-308' })]));
  });

  test('a list of one that an expression unwrapped is a list again where the target wants one', async () => {
    const document = draft();
    const map = document.operations.ReserveBerth!.flow[0]!;
    if (map.kind === 'map')
      map.fields = map.fields!.map((f) => (f.to === '/body/cargo' ? { ...f, from: 'body.cargo[kind="pulp"]' } : f));
    let text = '';
    await run(
      document,
      'ReserveBerth',
      { ...RESERVE, body: { ...RESERVE.body, cargo: [{ kind: 'pulp' }, { kind: 'timber' }] } },
      (q) => ((text = q.body.text()), answering('')),
    );
    expect(text).toContain('<n1:cargo><n1:item><n1:kind>pulp</n1:kind></n1:item></n1:cargo>');
  });

  test('a message that the flow itself made wrong is a 500 that names no inner thing', async () => {
    const document = draft();
    const map = document.operations.GetBerth!.flow[0]!;
    if (map.kind === 'map') map.fields = map.fields!.map((f) => (f.to === '/body/id' ? { ...f, from: '5' } : f));
    const r = await run(document, 'GetBerth', GET, () => answering(''));
    expect(r.error).toMatchObject({ code: 'HNG-421', status: 500, inner: expect.stringContaining('/body/id') });
    expect(r.reply.text).not.toContain('/body/id');
  });
});

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
