import { describe, expect, test } from '@jest/globals';
import {
  BackendFailure,
  checkDocument,
  packRehearsal,
  unpackRehearsal,
  readDocument,
  writeDocument,
  type StepDocument,
} from '../src';
import { answer, api, call, json, world } from './small-world';

describe('remember', () => {
  const remember = (more: object = {}): StepDocument[] => [
    { kind: 'remember', seconds: 60, flow: [call('one')], ...more } as StepDocument,
    { kind: 'map', to: 'reply', whole: 'body' },
  ];
  const counting = () => {
    let n = 0;
    return () => json({ n: ++n });
  };
  const status = (r: { reply: { headers: Readonly<Record<string, string>> } }) => r.reply.headers['cache-status'];

  // RFC 9211 §2: hit, fwd, stored, ttl; RFC 9111 §5.1: Age.
  test('the first asks, the others are told from memory until it is too old', async () => {
    const w = world(api(remember()), counting());
    const first = await w.run();
    expect([first.reply.body, status(first), first.reply.headers.age]).toEqual([
      { n: 1 },
      'hinge; fwd=uri-miss; stored; ttl=60',
      undefined,
    ]);
    w.wait(20_500);
    const second = await w.run();
    expect([second.reply.body, status(second), second.reply.headers.age]).toEqual([
      { n: 1 },
      'hinge; hit; ttl=39',
      '20',
    ]);
    expect(second.steps.find((s) => s.at === '/0/flow/0')!.taken).toBe(false);
    w.wait(40_000);
    expect((await w.run()).reply.body).toEqual({ n: 2 });
  });

  test('other values of the key, and other apps, are other memories', async () => {
    const w = world(api(remember()), counting());
    await w.run({ path: { id: 'a' } });
    expect((await w.run({ path: { id: 'b' } })).reply.body).toEqual({ n: 2 });
    const app = { app: { id: 'k', name: 'Kittiwake' } };
    expect((await w.run({ path: { id: 'a' } }, 'Do', app)).reply.body).toEqual({ n: 3 });
    expect((await w.run({ path: { id: 'a' } }, 'Do', app)).reply.body).toEqual({ n: 3 });
    const shared = world(api(remember({ shared: true, key: ['path.id'] })), counting());
    await shared.run();
    expect((await shared.run({ path: { id: '7' } }, 'Do', app)).reply.body).toEqual({ n: 1 });
  });

  test('seconds come from the plan; nothing or 0 goes past the memory', async () => {
    const w = world(api(remember({ seconds: 'plan.values.cacheSeconds' })), counting());
    const plan = (n: number | undefined) => ({
      app: { id: 'k', name: 'K' },
      plan: { name: 'p', values: { cacheSeconds: n } },
    });
    expect(status(await w.run(undefined, 'Do', plan(900)))).toContain('ttl=900');
    expect(status(await w.run(undefined, 'Do', plan(0)))).toBe('hinge; fwd=bypass');
    expect(status(await w.run())).toBe('hinge; fwd=bypass');
    expect(w.sent).toHaveLength(3);
  });

  test('failures and what must not be kept are not kept', async () => {
    let fail = true;
    const w = world(api(remember({ notIf: 'body.n = 1' })), () => {
      if (fail) {
        fail = false;
        throw new BackendFailure('unreachable', 'refused');
      }
      return json({ n: w.sent.length - 1 });
    });
    expect((await w.run()).reply.status).toBe(503);
    expect((await w.run()).reply.body).toEqual({ n: 1 });
    expect((await w.run()).reply.body).toEqual({ n: 2 });
    expect((await w.run()).reply.body).toEqual({ n: 2 });
  });

  test('many that miss at once wait for one', async () => {
    const w = world(api(remember()), async () => {
      await new Promise((r) => setTimeout(r, 30));
      return json({ n: w.sent.length });
    });
    const all = await Promise.all(Array.from({ length: 20 }, () => w.run()));
    expect(w.sent).toHaveLength(1);
    expect(all.every((r) => (r.reply.body as { n: number }).n === 1)).toBe(true);
    expect(all.filter((r) => status(r)!.includes('collapsed'))).toHaveLength(19);
  });

  test('a reply inside ends the flow also when it is remembered', async () => {
    const w = world(api([{ kind: 'remember', seconds: 5, flow: [answer('"inside"')] }, answer('"behind"')]));
    expect((await w.run()).reply.body).toBe('inside');
    expect((await w.run()).reply.body).toBe('inside');
  });

  test('a request with a body is only remembered by a key that says so', () => {
    const post = { method: 'POST' as const, request: { mediaType: 'application/json' } };
    expect(checkDocument(api(remember(), post)).map((f) => f.code)).toContain('HNG-319');
    expect(checkDocument(api(remember({ key: ['body'] }), post)).map((f) => f.code)).not.toContain('HNG-319');
  });
});

describe('check', () => {
  const schema = { type: 'object' as const, properties: { n: { type: 'integer' as const } }, required: ['n'] };
  const post = { method: 'POST' as const, path: '/x', parameters: [], request: { mediaType: 'application/json' } };

  test('a request that breaks it is the caller’s, any other message is ours', async () => {
    const own = world(api([{ kind: 'check', against: { schema } }, answer('"ok"')], post));
    const bad = await own.run({ body: { n: 'x', m: 1 } });
    expect(bad.reply.body).toMatchObject({ status: 400, errors: [{ pointer: '/n', code: 'type' }] });
    expect((await own.run({ body: { n: 1 } })).reply.body).toBe('ok');
    const behind = world(api([call('one'), { kind: 'check', against: { schema } }]), () => json({ n: 'x' }));
    const r = await behind.run();
    expect(r.error).toMatchObject({
      code: 'HNG-422',
      status: 502,
      inner: expect.stringContaining('/n') as unknown as string,
    });
    expect(JSON.stringify(r.reply.body)).not.toContain('/n');
  });

  test('a schema that is not there is a finding', () => {
    const found = checkDocument(
      api([{ kind: 'check', against: 'reply' }, { kind: 'check', against: { type: 'No' } }, answer('1')]),
    );
    expect(found.map((f) => f.code)).toEqual(['HNG-302', 'HNG-302']);
  });
});

describe('reply', () => {
  const reply = (more: object): StepDocument => ({ kind: 'reply', ...more }) as StepDocument;
  const body = async (step: StepDocument, more: object = {}) =>
    (await world(api([step], more)).run({ path: { id: 'a"<b' } })).reply;

  test('templates write each value as its place demands', async () => {
    const text = '{"id": "no {{ path.id }}", "list": {{ [1, 2] }}, "none": {{ query.none }}, "n": "{{ 1 + 1 }}"}';
    expect((await body(reply({ mediaType: 'application/json', template: text }))).body).toEqual({
      id: 'no a"<b',
      list: [1, 2],
      none: null,
      n: '2',
    });
    const xml = await body(
      reply({ mediaType: 'application/xml', template: '<r id="{{ path.id }}">{{ path.id }}</r>' }),
    );
    expect(xml.text).toBe('<r id="a&quot;&lt;b">a&quot;&lt;b</r>');
    const plain = await body(
      reply({ mediaType: 'text/plain', template: 'Berth {{ path.id }}', headers: { 'X-Id': '{{ path.id }}' } }),
    );
    expect([plain.text, plain.headers['x-id']]).toEqual(['Berth a"<b', 'a"<b']);
  });

  test('a template that can be neither JSON nor XML is a finding, and so is a mistake in it', () => {
    const codes = (step: StepDocument) => checkDocument(api([step])).map((f) => f.code);
    expect(codes(reply({ mediaType: 'application/json', template: '{"a": {{ path.id }}' }))).toEqual(['HNG-323']);
    expect(codes(reply({ mediaType: 'application/xml', template: '<a>{{ path.id }}' }))).toEqual(['HNG-323']);
    expect(codes(reply({ mediaType: 'application/json', template: '{{ path. }}' }))).toEqual(['HNG-304']);
    expect(
      codes(reply({ mediaType: 'application/json', template: '{"a": "{{ path.id }}", "b": {{ [1] }} }' })),
    ).toEqual([]);
  });

  const examples = {
    reply: {
      mediaType: 'application/json',
      schema: { type: 'object' as const, properties: { n: { type: 'integer' as const } }, required: ['n'] },
      examples: {
        usual: { value: { n: 1 } },
        gone: { when: 'path.id = "gone"', status: 404, value: { n: 2 } },
        odd: {
          when: { of: 'path.id', is: 'startsWith' as const, value: 'odd' },
          headers: { 'X-Odd': 'yes' },
          value: { n: 3 },
        },
      },
    },
  };
  test.each([
    ['auto', '7', 200, 1],
    ['auto', 'gone', 404, 2],
    ['auto', 'odd-1', 200, 3],
    ['odd', '7', 200, 3],
  ])('a mock by example %s for %s', async (example, id, status, n) => {
    const r = await world(api([reply({ example })], examples)).run({ path: { id } });
    expect([r.reply.status, r.reply.body]).toEqual([status, { n }]);
    expect(r.reply.headers['x-odd']).toBe(n === 3 ? 'yes' : undefined);
  });

  test('without examples a mock is made from the schema and fits it; without either it is a finding', async () => {
    const { examples: _none, ...plain } = examples.reply;
    const r = await world(api([reply({ example: 'auto' })], { reply: plain })).run();
    expect(r.reply.body).toEqual({ n: expect.any(Number) as unknown as number });
    expect(checkDocument(api([reply({ example: 'auto' })])).map((f) => f.code)).toEqual(['HNG-302']);
    expect(checkDocument(api([reply({ example: 'none' })], examples)).map((f) => f.code)).toEqual(['HNG-302']);
  });

  test('a reply that the contract does not allow is a finding', () => {
    const codes = (step: StepDocument) => checkDocument(api([step], examples)).map((f) => f.code);
    expect(codes(reply({ status: 201, body: { n: 1 } }))).toEqual(['HNG-317']);
    expect(codes(reply({ body: { n: 'x' } }))).toEqual(['HNG-317']);
    expect(codes(reply({ body: { n: 1 } }))).toEqual([]);
    expect(codes(reply({ status: 404, body: {} }))).toEqual([]);
  });
});

describe('calls from flow to flow', () => {
  const inner = {
    method: 'POST' as const,
    path: '/inner/{no}',
    internal: true,
    parameters: [
      { name: 'no', in: 'path' as const, required: true, schema: { type: 'string' as const } },
      { name: 'deep', in: 'query' as const, schema: { type: 'boolean' as const } },
    ],
    request: {
      mediaType: 'application/json',
      schema: { type: 'object' as const, properties: { a: { type: 'integer' as const } }, required: ['a'] },
    },
    reply: { mediaType: 'application/json', schema: { type: 'object' as const } },
    flow: [answer('{"no": path.no, "deep": query.deep, "a": body.a}')],
  };
  const map = (a: string): StepDocument => ({
    kind: 'map',
    to: { operation: 'Inner' },
    fields: [
      { to: '/path/no', from: 'path.id & "/ü"' },
      { to: '/query/deep', from: 'true' },
      { to: '/body/a', from: a },
    ],
  });
  const withInner = (flow: StepDocument[], other: object = inner) => {
    const d = api(flow);
    return {
      ...d,
      guards: [{ kind: 'schema' as const }],
      operations: { ...d.operations, Inner: other as typeof inner },
    };
  };

  test('arguments are typed and arrive as they were given; nobody gets in from outside', async () => {
    const document = withInner([map('1'), { kind: 'call', operation: 'Inner', name: 'x' }]);
    const w = world(document);
    const r = await w.run();
    expect(r.reply.body).toEqual({ no: '7/ü', deep: true, a: 1 });
    expect(w.sent).toEqual([]);
    expect(r.steps.map((s) => s.at)).toEqual(['/0', '/1', '/1/inner/0']);
    expect(checkDocument(document)).toEqual([]);
    expect(w.api.operations.get('public')!.map((o) => o.id)).toEqual(['Do']);
  });

  test('a map that does not fit is refused before the call, with the fields named', () => {
    const missing = withInner([
      { kind: 'map', to: { operation: 'Inner' }, fields: [] },
      { kind: 'call', operation: 'Inner' },
    ]);
    expect(checkDocument(missing).map((f) => f.code)).toContain('HNG-303');
    const unknown = withInner([{ kind: 'call', operation: 'Nowhere' }]);
    expect(checkDocument(unknown).map((f) => f.code)).toEqual(['HNG-302']);
  });

  test('without a map the request goes on as it is, variables too', async () => {
    const pulled = {
      ...inner,
      path: '/pulled',
      parameters: [],
      request: undefined,
      flow: [{ kind: 'set', values: { b: 'vars.a + 1' } }, answer('[path.id, vars.a]')],
    };
    const document = withInner(
      [{ kind: 'set', values: { a: '1' } }, { kind: 'call', operation: 'Inner' }, answer('[body, vars.b]')],
      pulled,
    );
    expect((await world(document).run()).reply.body).toEqual(['7', 1, 2]);
  });

  test('circles are findings, and end by their depth', async () => {
    const circle = {
      ...inner,
      parameters: [],
      request: undefined,
      path: '/i',
      flow: [{ kind: 'call', operation: 'Inner' }],
    };
    const document = withInner([{ kind: 'call', operation: 'Inner' }], circle);
    expect(checkDocument(document).map((f) => [f.code, f.message])).toContainEqual(['HNG-321', 'Inner calls Inner']);
    expect((await world(document).run()).error).toMatchObject({ code: 'HNG-424' });
  });

  test('an API without a door is called by its name; its failures come through as they are', async () => {
    const other = { ...api([call('one')]), doors: [] };
    const document = api([
      { kind: 'map', to: { api: 'other', operation: 'Do' }, fields: [{ to: '/path/id', from: '"z"' }] },
      { kind: 'call', api: 'other', operation: 'Do' },
    ]);
    const good = await world(document, (r) => json({ at: r.url }), { other }).run();
    expect(good.reply.body).toEqual({ at: 'http://one.test/x/z' });
    const bad = await world(
      document,
      () => {
        throw new BackendFailure('unreachable', 'x');
      },
      { other },
    ).run();
    expect(bad.reply.body).toMatchObject({ status: 503, backend: 'one' });
    expect(checkDocument(other).map((f) => f.code)).toEqual(['HNG-325']);
    expect(checkDocument(document).map((f) => f.code)).toEqual(['HNG-302']);
    expect(checkDocument(document, { neighbours: (n) => (n === 'other' ? other : undefined) })).toEqual([]);
  });
});

test('doors shape requests before the flow and replies behind it', async () => {
  const d = api([answer('{"who": headers.`x-who`, "v": vars.door}')]);
  d.doors = [
    {
      name: 'public',
      path: '/t',
      before: [{ kind: 'set', values: { door: '"first"' } }],
      after: [{ kind: 'convert', to: 'xml', root: 'r' }],
    },
  ];
  const r = await world(d).run({ path: { id: '1' }, headers: { 'x-who': 'me' } });
  expect(r.reply.text).toContain('<r><who>me</who><v>first</v></r>');
  expect(r.steps.map((s) => s.at)).toEqual(['/0', '/doors/0/before/0', '/doors/0/after/0']);
});

test('a rehearsal travels with every message once, a JSON body as its text alone, and comes back the same', async () => {
  const r = await world(
    api([{ kind: 'set', values: { a: '1' } }, { kind: 'set', values: { b: '2' } }, answer('vars')]),
  ).run();
  const packed = packRehearsal(r);
  expect(packed.messages).toHaveLength(2);
  const travelled = JSON.stringify(r, (key, v: unknown) => (key === 'body' && typeof v === 'object' ? undefined : v));
  expect(unpackRehearsal(JSON.parse(JSON.stringify(packed)) as typeof packed)).toEqual(JSON.parse(travelled));
  expect(JSON.parse(r.reply.text!)).toEqual(r.reply.body);
});

test('a document with steps inside steps is read, checked and written as it was', () => {
  const document = api([
    {
      kind: 'remember',
      seconds: 5,
      flow: [
        {
          kind: 'attempt',
          flow: [
            { kind: 'choose', lines: [{ when: 'true', flow: [{ kind: 'each', items: 'body', flow: [call('one')] }] }] },
          ],
          failures: [],
        },
      ],
    },
  ]);
  const text = writeDocument(document);
  expect(readDocument(text)).toEqual({ document, findings: [] });
  const broken = readDocument(text.replace('items: body', 'itms: body'));
  expect(broken.findings[0]!.place).toMatchObject({ line: expect.any(Number) as unknown as number });
  expect(broken.findings[0]!.message).toMatch(/lines\.0\.flow\.0/);
});
