import { describe, expect, test } from '@jest/globals';
import {
  BackendFailure,
  checkDocument,
  compileApi,
  incomingOf,
  rehearse,
  type BackendReply,
  type BackendRequest,
  type Ports,
} from '../src';
import { answering, BERTH, draft, envelope, GET, RESERVE, run } from './flow-world';

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
    document.backends!['berths-service']!.addresses!.test = 'elsewhere.test:80/berths';
    expect((await run(document, 'GetBerth', GET, () => answering(''), 'test')).error).toMatchObject({
      code: 'HNG-501',
      message: 'berths-service has no address that can be called.',
      inner: '"elsewhere.test:80/berths" is no http or https address',
    });
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
