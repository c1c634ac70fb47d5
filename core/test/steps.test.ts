import { describe, expect, test } from '@jest/globals';
import { BackendFailure, checkDocument, typeFlow, type StepDocument } from '../src';
import { answer, api, call, json, world } from './small-world';

const kinds = (r: Awaited<ReturnType<ReturnType<typeof world>['run']>>) =>
  r.steps.filter((s) => s.taken).map((s) => `${s.at} ${s.kind}`);

describe('choose', () => {
  const flow: StepDocument[] = [
    {
      kind: 'choose',
      lines: [
        { name: 'long', when: { of: 'query.length', is: 'moreThan', value: 120 }, flow: [answer('"tow desk"')] },
        { when: ['query.kind = "barge"', { of: 'headers.`x-office`', is: 'exists' }], flow: [answer('"barge desk"')] },
      ],
      otherwise: [answer('"nobody"')],
    },
  ];
  const query = [
    { name: 'length', in: 'query' as const, schema: { type: 'number' as const } },
    { name: 'kind', in: 'query' as const, schema: { type: 'string' as const } },
  ];
  const document = api(flow, { path: '/x', parameters: query });

  test.each([
    [{ query: { length: 120.5 } }, 'tow desk', '/lines/0/flow'],
    [{ query: { length: 120 } }, 'nobody', '/otherwise'],
    [{ query: { kind: 'barge' }, headers: { 'x-office': 'T' } }, 'barge desk', '/lines/1/flow'],
    [{ query: { kind: 'barge' } }, 'nobody', '/otherwise'],
    [{}, 'nobody', '/otherwise'],
  ])('%j takes the line %s', async (sample, body, taken) => {
    const r = await world(document).run(sample);
    expect(r.reply.body).toBe(body);
    expect(r.steps.find((s) => s.at === '/0')!.notes).toMatchObject({ taken });
    expect(r.steps.filter((s) => s.at.startsWith('/0/') && s.taken)).toHaveLength(1);
    expect(r.steps).toHaveLength(4);
  });

  test('without a line that holds the message goes on', async () => {
    const r = await world(
      api([{ kind: 'choose', lines: [{ when: 'false', flow: [answer('1')] }] }, answer('"behind"')]),
    ).run();
    expect(r.reply.body).toBe('behind');
  });

  test('a reply ends the flow; what stands behind is not run, and is a finding where every line ends', async () => {
    const doc = api([...flow, call('one')], { path: '/x', parameters: query });
    expect(kinds(await world(doc).run())).toEqual(['/0 choose', '/0/otherwise/0 reply']);
    expect(checkDocument(doc).map((f) => [f.code, f.place.pointer])).toEqual([['HNG-315', '/operations/Do/flow/1']]);
  });

  test('lines that can never be taken are findings', () => {
    const lines = [
      { when: 'true', flow: [answer('1')] },
      { when: 'path.id = "a"', flow: [answer('2')] },
      { when: 'path.id = "a"', flow: [answer('3')] },
      { when: { of: 'path.id', is: 'matches' as const, value: '(' }, flow: [answer('5')] },
    ];
    const found = checkDocument(api([{ kind: 'choose', lines, otherwise: [answer('4')] }]));
    expect(found.map((f) => `${f.code} ${f.place.pointer!.slice('/operations/Do/flow/0'.length)}`)).toEqual([
      'HNG-315 /lines/1',
      'HNG-315 /lines/2',
      'HNG-304 /lines/3/when/value',
      'HNG-315 /lines/3',
    ]);
  });
});

describe('conditions', () => {
  const holds = async (when: unknown, body: unknown): Promise<boolean> => {
    const document = api(
      [{ kind: 'choose', lines: [{ when: when as string, flow: [answer('true')] }], otherwise: [answer('false')] }],
      { method: 'POST', path: '/x', parameters: [], request: { mediaType: 'application/json' } },
    );
    const r = await world(document).run({ body });
    expect(r.error).toBeUndefined();
    return r.reply.body as boolean;
  };
  test.each([
    ['equals', 'a', 'a', true],
    ['equals', 1, '1', true],
    ['equals', '1', '1.0', false],
    ['equals', 1, '1.0', true],
    ['equals', null, null, true],
    ['differs', 'a', undefined, true],
    ['oneOf', ['a', 'b'], 'b', true],
    ['oneOf', [], 'b', false],
    ['contains', 'b', ['a', 'b'], true],
    ['contains', 'ell', 'hello', true],
    ['contains', 'x', undefined, false],
    ['startsWith', 'he', 'hello', true],
    ['endsWith', 'lo', 'hello', true],
    ['matches', '^TV-\\d+$', 'TV-40213', true],
    ['matches', '^TV-\\d+$', 'XTV-40213', false],
    ['lessThan', 3, 2.5, true],
    ['atMost', 3, 3, true],
    ['moreThan', 3, 'text', false],
    ['atLeast', 3, undefined, false],
    ['lessThan', '2026-12-04T05:30:00+01:00', '2026-12-04T05:00:00Z', false],
    ['moreThan', '2026-12-04T05:30:00+01:00', '2026-12-04T05:00:00Z', true],
    ['exists', undefined, 0, true],
    ['exists', undefined, null, false],
    ['missing', undefined, undefined, true],
  ])('%s %j of %j is %s', async (is, value, given, wanted) => {
    expect(await holds({ of: 'body.v', is, value }, { v: given })).toBe(wanted);
  });

  test('several must all hold; an expression counts by its truth', async () => {
    expect(await holds(['body.a', 'body.b'], { a: 1, b: [0, 1] })).toBe(true);
    expect(await holds(['body.a', 'body.b'], { a: 1, b: [0] })).toBe(false);
    expect(await holds('body.none', {})).toBe(false);
  });
});

describe('gather', () => {
  const lines = (last: object = {}) => [
    { name: 'vessel', flow: [call('one')] },
    { name: 'berth', flow: [call('two')] },
    { name: 'tide', flow: [call('three')], ...last },
  ];
  const slow = (ms: number, value: unknown) =>
    new Promise<ReturnType<typeof json>>((r) => setTimeout(() => r(json(value)), ms));

  test('calls go out together, results stand by name, the slowest line is the critical one', async () => {
    const w = world(
      api([
        { kind: 'gather', lines: lines() },
        answer('{"v": body.vessel.n, "s": steps.tide.status, "b": body.berth}'),
      ]),
      (r) => slow(r.backend === 'two' ? 60 : 20, { n: r.backend }),
    );
    const r = await w.run();
    expect(r.reply.body).toEqual({ v: 'one', s: 200, b: { n: 'two' } });
    const notes = r.steps[0]!.notes as { critical: string; inSeriesMs: number; ms: number };
    expect(notes.critical).toBe('/lines/1/flow');
    expect(notes.inSeriesMs).toBeGreaterThan(notes.ms);
  });

  test.each([
    [{}, 503, undefined],
    [{ onFailure: 'leaveOut' }, 200, { vessel: {}, berth: {} }],
    [{ onFailure: 'default', default: { high: null } }, 200, { vessel: {}, berth: {}, tide: { high: null } }],
  ] as const)('one line fails with %j: status %s', async (rule, status, body) => {
    const w = world(api([{ kind: 'gather', lines: lines(rule) }]), (r) => {
      if (r.backend === 'three') throw new BackendFailure('unreachable', 'refused');
      return json({});
    });
    const r = await w.run();
    expect(r.reply.status).toBe(status);
    expect(w.sent).toHaveLength(3);
    if (body) expect(r.reply.body).toEqual(body);
    else expect(r.error).toMatchObject({ code: 'HNG-502' });
  });

  test('a line that is late has failed; the others are not waited for longer', async () => {
    const w = world(api([{ kind: 'gather', timeoutMs: 30, lines: lines({ onFailure: 'leaveOut' }) }]), (r) =>
      r.backend === 'three' ? slow(400, {}) : json({}),
    );
    const r = await w.run();
    expect(r.reply.body).toEqual({ vessel: {}, berth: {} });
    expect(r.ms).toBeLessThan(390);
  });

  test('variables of a line stay in it; one name twice is a finding; types of the results are known', async () => {
    const set = (from: string): StepDocument => ({ kind: 'set', values: { v: from } });
    const document = api([
      set('"before"'),
      {
        kind: 'gather',
        lines: [
          { name: 'a', flow: [set('"inside"'), answer('vars.v')] },
          { name: 'b', flow: [answer('vars.v')] },
        ],
      },
      answer('[body.a, body.b, vars.v]'),
    ]);
    expect((await world(document).run()).reply.body).toEqual(['inside', 'before', 'before']);
    expect(checkDocument(document)).toEqual([]);
    expect(checkDocument(api([{ kind: 'gather', lines: [...lines(), ...lines()] }])).map((f) => f.code)).toEqual(
      Array<string>(3).fill('HNG-326'),
    );
    expect(
      typeFlow(document, 'Do')
        .find((t) => t.at === '/2')!
        .before.map((r) => r.pointer),
    ).toEqual(['/body/a', '/body/b']);
  });
});

describe('each', () => {
  const each = (more: object = {}): StepDocument[] => [
    call('one'),
    {
      kind: 'each',
      items: 'body.list',
      flow: [call('two', { path: '/of/{{ vars.item.id }}' })],
      atOnce: 2,
      ...more,
    } as StepDocument,
  ];
  const backend = (list: unknown, fail?: string) => (r: { backend: string; url: string }) => {
    if (r.backend === 'one') return json({ list });
    if (fail && r.url.endsWith(fail)) throw new BackendFailure('timeout', 'late');
    return json({ got: r.url });
  };

  test.each([
    [undefined, []],
    [[], []],
    [{ id: 1 }, [{ got: 'http://two.test/of/1' }]],
    [[{ id: 1 }, { id: 2 }, { id: 3 }], [1, 2, 3].map((n) => ({ got: `http://two.test/of/${n}` }))],
  ])('%j', async (list, wanted) => {
    const r = await world(api(each()), backend(list)).run();
    expect(r.reply.body).toEqual(wanted);
  });

  test('no more run at once than allowed; order stays', async () => {
    let now = 0;
    let most = 0;
    const w = world(api(each({ atOnce: 3 })), async (r) => {
      if (r.backend === 'one') return json({ list: Array.from({ length: 20 }, (_, i) => ({ id: i })) });
      most = Math.max(most, ++now);
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 5));
      now--;
      return json(r.url.split('/').pop());
    });
    const r = await w.run();
    expect(most).toBe(3);
    expect(r.reply.body).toEqual(Array.from({ length: 20 }, (_, i) => String(i)));
    expect(r.steps.find((s) => s.at === '/1/flow/0')!.times).toBe(20);
  });

  test.each([
    [{}, 504, undefined],
    [{ onFailure: 'leaveOut' }, 200, [1, 3]],
    [{ onFailure: 'default', default: 0 }, 200, [1, 0, 3]],
  ])('one item fails with %j: status %s', async (rule, status, body) => {
    const w = world(api(each(rule)), backend([{ id: 1 }, { id: 2 }, { id: 3 }], '/of/2'));
    const r = await w.run();
    expect(r.reply.status).toBe(status);
    if (body)
      expect(
        (r.reply.body as unknown[]).map((x) => (x === 0 ? 0 : Number((x as { got: string }).got.slice(-1)))),
      ).toEqual(body);
  });

  test('a list that is too long is refused before anything is sent', async () => {
    const w = world(api(each({ most: 2 })), backend([{ id: 1 }, { id: 2 }, { id: 3 }]));
    const r = await w.run();
    expect(r.error).toMatchObject({ code: 'HNG-423' });
    expect(w.sent).toHaveLength(1);
  });
});

describe('attempt', () => {
  const attempt = (...on: string[]): StepDocument[] => [
    {
      kind: 'attempt',
      flow: [call('one')],
      failures: [{ on, flow: [answer('{"instead": vars.failure}')] }],
    },
  ];
  const down = () => {
    throw new BackendFailure('unreachable', 'refused');
  };
  const late = () => {
    throw new BackendFailure('timeout', 'late');
  };

  test('what succeeds goes on', async () => {
    expect((await world(api(attempt('any')), () => json({ ok: 1 })).run()).reply.body).toEqual({ ok: 1 });
  });

  test.each([
    ['any', down, true],
    ['unreachable', down, true],
    ['timeout', down, false],
    ['timeout', late, true],
    ['503', down, true],
    ['5XX', late, true],
    ['4XX', late, false],
  ])('on %s', async (on, send, caught) => {
    const r = await world(api(attempt(on)), send).run();
    expect(r.error === undefined).toBe(caught);
    if (caught) expect(r.reply.body).toMatchObject({ instead: { backend: 'one' } });
  });

  test('the steps instead get the message as it was before; a condition must hold too', async () => {
    const document = api(
      [
        {
          kind: 'attempt',
          flow: [answerBody('"changed"'), call('one')].slice(1),
          failures: [
            { on: ['any'], when: 'vars.failure.status = 418', flow: [answer('"no"')] },
            { on: ['any'], flow: [call('two')] },
          ],
        },
      ],
      { method: 'POST', request: { mediaType: 'application/json' } },
    );
    const w = world(document, (r) => (r.backend === 'one' ? down() : json(r.body.value())));
    expect((await w.run({ path: { id: '1' }, body: { a: 1 } })).reply.body).toEqual({ a: 1 });
  });
});

const answerBody = (from: string): StepDocument => ({ kind: 'set', values: { v: from } });
