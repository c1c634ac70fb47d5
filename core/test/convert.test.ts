import { expect, test, describe } from '@jest/globals';
import {
  Body,
  checkDocument,
  compileApi,
  convertBothWays,
  incomingOf,
  type FlowDocument,
  type SampleRequest,
  type StepDocument,
} from '../src';

const documentOf = (steps: StepDocument[]): FlowDocument => ({
  hinge: 1,
  api: { name: 'Convert', version: '1' },
  doors: [{ name: 'public', path: '/c' }],
  backends: { back: { address: 'http://back.example' } },
  operations: { any: { method: 'ANY', path: '/*', flow: steps } },
});

async function through(steps: StepDocument[], reply: { type: string; text: string }, sample: SampleRequest = {}) {
  const api = compileApi(documentOf(steps));
  const operation = api.operations.get('public')![0]!;
  let sent: { type?: string; text: string } | undefined;
  const outcome = await operation.handle(incomingOf(operation, '/c', { path: { '*': '/x' }, ...sample }), {
    ports: {
      clock: { now: () => 0 },
      backends: {
        send: async (r) => {
          await r.body.load();
          sent = { type: r.headers['content-type'], text: r.body.text() };
          return { status: 200, headers: { 'content-type': reply.type }, body: Body.ofText(reply.text, reply.type) };
        },
      },
    },
    env: {},
    traceId: 't',
    outbound: {},
  });
  return {
    status: outcome.reply.status,
    type: outcome.reply.headers['content-type'],
    text: outcome.reply.body.text(),
    sent,
  };
}

const call: StepDocument = { kind: 'call', backend: 'back' };

describe('by a type, or by settings', () => {
  const types = {
    Berth: {
      type: 'object',
      properties: {
        number: { type: 'string', xml: { attribute: true } },
        metres: { type: 'number' },
        service: { type: 'array', items: { type: 'string' } },
      },
    },
  } as const;
  const text = '<Berth number="7"><metres>12.50</metres><service>water</service></Berth>';
  const shown = { text, mediaType: 'application/xml' };
  const to = (more: object) => ({ kind: 'convert', to: 'json', ...more }) as Parameters<typeof convertBothWays>[0];

  test('both ways of one message, and why one is not to be had', () => {
    expect(convertBothWays(to({ type: 'Berth' }), types as never, shown)).toEqual({
      schema: '{"number":"7","metres":12.50,"service":["water"]}',
      settings: '{"Berth":{"@number":"7","metres":"12.50","service":"water"}}',
    });
    expect(convertBothWays(to({}), {}, shown).schema).toContain('no schema came with this message');
    expect(convertBothWays(to({}), {}, { ...shown, valueText: '{"body":{"a":1}}' }).schema).toBe('{"a":1}');
    expect(convertBothWays(to({}), {}, { text: '<a', mediaType: 'application/xml' }).settings).toMatch(/^\(/);
    expect(convertBothWays(to({}), {}, { mediaType: 'application/xml' })).toEqual({ schema: '', settings: '' });
    const back = { text: '{"number":"7","metres":12.50,"service":["water"]}', mediaType: 'application/json' };
    expect(convertBothWays({ ...to({ type: 'Berth' }), to: 'xml' }, types as never, back).schema).toContain(text);
  });

  test('a type that is not there is a finding; the step refuses what has no schema when only a schema may say', async () => {
    const d = documentOf([call, to({ type: 'Nothing' })]);
    expect(checkDocument(d).map((f) => [f.code, f.place.pointer])).toContainEqual([
      'HNG-302',
      '/operations/any/flow/1/type',
    ]);
    const none = await through([call, to({ by: 'schema' })], { type: 'application/xml', text });
    expect([none.status, none.type]).toEqual([500, 'application/problem+json']);
    const plain = await through([call, to({ by: 'settings' })], { type: 'application/xml', text });
    expect(plain.text).toBe('{"Berth":{"@number":"7","metres":"12.50","service":"water"}}');
  });
});

describe('convert', () => {
  test('a request from JSON to XML, the reply from XML to JSON', async () => {
    const r = await through(
      [{ kind: 'convert', to: 'xml', root: 'order' }, call, { kind: 'convert', to: 'json' }],
      { type: 'application/xml', text: '<ok n="1"><b>2</b></ok>' },
      { body: { a: 1.5, l: ['x', 'y'] } },
    );
    expect(r.sent).toEqual({
      type: 'application/xml',
      text: '<?xml version="1.0" encoding="UTF-8"?>\n<order><a>1.5</a><l>x</l><l>y</l></order>',
    });
    expect([r.status, r.type, r.text]).toEqual([200, 'application/json', '{"ok":{"@n":"1","b":"2"}}']);
  });

  test.each([
    [
      'settings',
      { to: 'json', settings: { attribute: '_', typed: true, lists: ['b'] } },
      'application/xml',
      '<ok n="1"><b>2.50</b></ok>',
      '{"ok":{"_n":1,"b":[2.50]}}',
    ],
    [
      'CSV to JSON',
      { to: 'json', settings: { delimiter: ';' } },
      'text/csv',
      'a;b\r\n1;"x;y"\r\n',
      '[{"a":"1","b":"x;y"}]',
    ],
    [
      'JSON to CSV',
      { to: 'csv' },
      'application/json',
      '[{"a":1,"b":"x,y"},{"a":0.90,"c":null}]',
      'a,b,c\r\n1,"x,y",\r\n0.90,,',
    ],
    [
      'a form to JSON',
      { to: 'json' },
      'application/x-www-form-urlencoded',
      'a=1&b=x+y&b=z',
      '{"a":"1","b":["x y","z"]}',
    ],
    ['JSON to a form', { to: 'form' }, 'application/json', '{"a":1,"b":["x y","z"]}', 'a=1&b=x+y&b=z'],
    ['XML to CSV by way of rows', { to: 'csv' }, 'application/json', '[[1,2],[3,4]]', '1,2\r\n3,4'],
  ] as const)('%s', async (_name, step, type, text, want) => {
    const r = await through([call, { kind: 'convert', ...step } as unknown as StepDocument], { type, text });
    expect(r.text).toBe(want);
  });

  test('what cannot be read or written is told: the caller’s as 400, the backend’s as 502, ours as 500', async () => {
    const broken = { type: 'application/xml', text: '<a>' };
    expect((await through([call, { kind: 'convert', to: 'json' }], broken)).status).toBe(502);
    expect(
      (
        await through([{ kind: 'convert', to: 'json' }, call], broken, {
          headers: { 'content-type': 'application/xml' },
          body: '<a>',
        })
      ).status,
    ).toBe(400);
    expect(
      (await through([call, { kind: 'convert', to: 'xml' }], { type: 'application/json', text: '{"a b":1}' })).status,
    ).toBe(500);
  });

  test('an empty body stays empty; the document has no findings', async () => {
    expect((await through([call, { kind: 'convert', to: 'json' }], { type: 'application/xml', text: '' })).text).toBe(
      '',
    );
    expect(checkDocument(documentOf([call, { kind: 'convert', to: 'json' }]))).toEqual([]);
  });
});
