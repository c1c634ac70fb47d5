import { describe, expect, test } from '@jest/globals';
import { Body, type BackendReply, type StepDocument } from '../src';
import { api, call, json, world } from './small-world';

const broken = (text: string | Uint8Array, status = 200): BackendReply => ({
  status,
  headers: { 'content-type': 'application/json' },
  body: typeof text === 'string' ? Body.ofText(text, 'application/json') : Body.ofBytes(text, 'application/json'),
});
const answer = (from: string): StepDocument => ({ kind: 'reply', from });

describe('a call has an outcome, with and without a contract', () => {
  test.each([404, 409, 500, 503])('%d is a failure for an attempt', async (status) => {
    const flow: StepDocument[] = [
      {
        kind: 'attempt',
        flow: [call('one')],
        failures: [
          { on: [String(status)], flow: [answer('{"was": vars.failure.status, "of": vars.failure.backend}')] },
        ],
      },
    ];
    const r = await world(api(flow), () => json({ a: 1 }, status)).run();
    expect(r.reply).toMatchObject({ status: 200, body: { was: status, of: 'one' } });
  });

  test('what nobody takes reaches the caller as it came', async () => {
    const flow: StepDocument[] = [
      { kind: 'attempt', flow: [call('one')], failures: [{ on: ['timeout'], flow: [answer('1')] }] },
    ];
    const r = await world(api(flow), () => json({ why: 'full' }, 503)).run();
    expect(r.reply).toMatchObject({ status: 503, body: { why: 'full' } });
  });

  test('outside of an attempt a status is nothing but a status', async () => {
    const r = await world(api([call('one')]), () => json({ why: 'gone' }, 410)).run();
    expect(r.reply).toMatchObject({ status: 410, body: { why: 'gone' } });
    expect(r.error).toBeUndefined();
  });

  test('lines of a gather and items of an each see it', async () => {
    const gather: StepDocument[] = [
      {
        kind: 'gather',
        lines: [
          { name: 'good', flow: [call('one')] },
          { name: 'bad', flow: [call('two')], onFailure: 'default', default: 'none' },
          { name: 'gone', flow: [call('two')], onFailure: 'leaveOut' },
        ],
      },
      answer('body'),
    ];
    const send = (r: { backend: string }) => (r.backend === 'two' ? json({}, 500) : json({ n: 1 }));
    expect((await world(api(gather), send).run()).reply.body).toEqual({ good: { n: 1 }, bad: 'none' });
    const each: StepDocument[] = [
      { kind: 'each', items: '[1, 2]', flow: [call('two')], onFailure: 'default', default: 0 },
      answer('body'),
    ];
    expect((await world(api(each), send).run()).reply.body).toEqual([0, 0]);
  });

  test('an answer that cannot be read is a failure of the line that got it', async () => {
    const gather: StepDocument[] = [
      { kind: 'gather', lines: [{ name: 'a', flow: [call('one')], onFailure: 'default', default: 'none' }] },
      answer('body'),
    ];
    expect((await world(api(gather), () => broken('{"a":')).run()).reply.body).toEqual({ a: 'none' });
  });
});

describe('what cannot be read is told to whoever sent it', () => {
  test.each([
    ['cut off', '{"a":'],
    ['no JSON', 'hello'],
    ['no UTF-8', Uint8Array.from([0x7b, 0x22, 0x61, 0x22, 0x3a, 0x22, 0xff, 0x22, 0x7d])],
  ] as const)('of a backend: %s is 502', async (_name, text) => {
    const r = await world(api([call('one'), answer('body.a')]), () => broken(text)).run();
    expect(r.error).toMatchObject({ code: 'HNG-504', status: 502 });
    expect(r.reply.body).toMatchObject({ backend: 'one' });
  });

  test.each(['body.a', '$string(body)', 'steps.request.body'])(
    'of a caller: %s is 400, with the place',
    async (from) => {
      const w = world(api([answer(from)], { method: 'POST' }));
      const r = await w.run({ headers: { 'content-type': 'application/json' }, body: '{"a": tru}' as never });
      expect(r.reply).toMatchObject({ status: 400, body: { errors: [{ pointer: '', code: 'json' }] } });
      expect(JSON.stringify(r.reply.body)).toContain('at character');
    },
  );
});

describe('header fields that a flow makes', () => {
  const reply = (value: string): StepDocument => ({
    kind: 'reply',
    status: 204,
    headers: { 'x-note': `{{ ${value} }}` },
  });
  test.each(['"a\\r\\nset-cookie: b"', '"a\\nb"', '"a\\u0000b"', '"\\u20ac"'])(
    '%s is refused at the flow',
    async (value) => {
      const r = await world(api([reply(value)])).run();
      expect(r.error).toMatchObject({ code: 'HNG-426', status: 500 });
    },
  );
  test('400 where the value came with the request', async () => {
    const r = await world(api([reply('query.q')])).run({ query: { q: 'a\r\nset-cookie: b' } });
    expect(r.error).toMatchObject({ code: 'HNG-426', status: 400 });
  });
  test('towards a backend too, and no breaker counts it', async () => {
    const flow: StepDocument[] = [
      { kind: 'map', to: 'request', fields: [{ to: '/headers/x-note', from: 'query.q' }] },
      { kind: 'call', backend: 'one', breaker: { failures: 1 } },
    ];
    const w = world(api(flow));
    expect((await w.run({ query: { q: 'a\nb' } })).error).toMatchObject({ code: 'HNG-426', status: 400 });
    expect((await w.run({ query: { q: 'ab' } })).reply.status).toBe(200);
    expect(w.sent).toHaveLength(1);
  });
});

test.each(['99', '100', '199', '600', '1000', '200.5', '"x"'])(
  'a status of %s is no status of a reply',
  async (status) => {
    const r = await world(api([{ kind: 'map', to: 'reply', fields: [{ to: '/status', from: status }] }])).run();
    expect(r.error).toMatchObject({ code: 'HNG-428', status: 500 });
  },
);

describe('templates know where they stand', () => {
  const template = (mediaType: string, text: string): StepDocument => ({ kind: 'reply', mediaType, template: text });
  const value = `<b a="x">&'\n,"`;
  const made = async (mediaType: string, text: string) =>
    (await world(api([{ kind: 'set', values: { v: JSON.stringify(value) } }, template(mediaType, text)])).run()).reply
      .text;
  test('HTML and XML', async () => {
    for (const type of ['text/html', 'application/xhtml+xml', 'text/xml'])
      expect(await made(type, '<p>{{ vars.v }}</p>')).not.toContain('<b');
  });
  test('JSON, forms, CSV, plain text', async () => {
    expect(JSON.parse((await made('application/json', '{"a": "{{ vars.v }}", "b": {{ vars.v }}}'))!)).toEqual({
      a: value,
      b: value,
    });
    expect(new URLSearchParams((await made('application/x-www-form-urlencoded', 'a={{ vars.v }}&b=1'))!).get('a')).toBe(
      value,
    );
    expect(await made('text/csv', 'a,{{ vars.v }}\n')).toBe(`a,"${value.replaceAll('"', '""')}"\n`);
    expect(await made('text/plain', '{{ vars.v }}')).toBe(value);
  });
});
