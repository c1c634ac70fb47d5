import { describe, expect, test } from '@jest/globals';
import { Body, BackendFailure, type BackendReply, type FlowDocument, type StepDocument } from '../src';
import { api, json, world, type Operation } from './small-world';

/** What a door always answers holds for what goes through unread as well, and for what comes in. */

const pass: StepDocument = { kind: 'call', backend: 'one', path: '/x' };
const reply = (text: string, mediaType: string, more: Record<string, string> = {}, status = 200): BackendReply => ({
  status,
  headers: { 'content-type': mediaType, etag: '"a"', 'content-length': String(text.length), ...more },
  body: Body.ofSource(() => Promise.resolve(new TextEncoder().encode(text)), mediaType),
});
const door = (answers: 'json' | 'xml', flow: StepDocument[] = [pass], more: Partial<Operation> = {}): FlowDocument => {
  const d = api(flow, { method: 'POST', ...more });
  return { ...d, doors: [{ ...d.doors[0]!, answers }] };
};
/** Without the declaration of XML. */
const bare = (v: unknown): unknown => (typeof v === 'string' ? v.replace(/^<\?xml[^]*?\?>\n?/, '') : v);
const BERTH = '{"berth":{"id":"N-07","draught":0.90}}';

async function answer(document: FlowDocument, r: BackendReply, sample = {}) {
  const w = world(document, () => r);
  const { reply: got } = await w.run({ path: { id: '1' }, ...sample });
  return { ...got, body: bare(got.body), sent: w.sent[0]! };
}

describe('replies that go through', () => {
  test('JSON at a door that answers XML; what was said of the bytes goes', async () => {
    const got = await answer(door('xml'), reply(BERTH, 'application/json', { 'x-own': '1' }));
    expect(got.status).toBe(200);
    expect(got.headers).toEqual({ 'content-type': 'application/xml', vary: 'accept', 'x-own': '1' });
    expect(got.body).toBe('<berth><id>N-07</id><draught>0.90</draught></berth>');
  });

  test('XML at a door that answers JSON', async () => {
    const got = await answer(door('json'), reply('<berth id="1"><name>Nord</name></berth>', 'text/xml; charset=utf-8'));
    expect(got.headers['content-type']).toBe('application/json');
    expect(got.body).toEqual({ berth: { '@id': '1', name: 'Nord' } });
  });

  test('by the schema of the reply, where it fits', async () => {
    const schema = {
      type: 'object' as const,
      properties: {
        count: { type: 'integer' as const },
        names: { type: 'array' as const, items: { type: 'string' as const } },
      },
      xml: { name: 'fleet' },
    };
    const got = await answer(
      door('json', [pass], { reply: { mediaType: 'application/json', schema } }),
      reply('<fleet><count>2</count><names>a</names></fleet>', 'application/xml'),
    );
    expect(got.body).toEqual({ count: 2, names: ['a'] });
  });

  test.each([400, 404, 503])('status %d too', async (status) => {
    const got = await answer(door('xml'), reply('{"why":"no"}', 'application/json', {}, status));
    expect([got.status, got.headers['content-type'], got.body]).toEqual([status, 'application/xml', '<why>no</why>']);
  });

  test('what has that form already goes on as it came, and what has none', async () => {
    const same = await answer(door('json'), reply(BERTH, 'application/problem+json'));
    expect([same.headers['content-type'], same.headers.etag]).toEqual(['application/problem+json', '"a"']);
    const picture = await answer(door('json'), reply('GIF89a', 'image/gif'));
    expect([picture.headers['content-type'], picture.headers.etag]).toEqual(['image/gif', '"a"']);
    const coded = await answer(door('xml'), reply('…', 'application/json', { 'content-encoding': 'gzip' }));
    expect(coded.headers['content-type']).toBe('application/json');
    const part = await answer(door('xml'), reply('{"a"', 'application/json', {}, 206));
    expect(part.headers['content-type']).toBe('application/json');
  });

  test('nothing stays nothing', async () => {
    const got = await answer(door('xml'), reply('', 'application/json'));
    expect([got.status, got.headers['content-type'], got.body]).toEqual([200, 'application/xml', undefined]);
  });

  test.each([
    ['xml', '{"a":', 'application/json'],
    ['json', '<a><b></a>', 'application/xml'],
    ['json', '<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>', 'application/xml'],
  ] as const)('at %s what cannot be read is 502 that names the backend: %s', async (answers, text, mediaType) => {
    const got = await answer(door(answers), reply(text, mediaType));
    expect(got.status).toBe(502);
    expect(JSON.stringify(got.body)).toContain('one');
    expect(got.headers['content-type']).toBe(`application/problem+${answers}`);
  });

  test.each([
    ['cut off', new BackendFailure('unreadable', 'cut'), 502],
    ['late', new BackendFailure('timeout', 'late'), 504],
  ])('a reply that is %s', async (_name, failure, status) => {
    const broken: BackendReply = {
      status: 200,
      headers: { 'content-type': 'application/json' },
      body: Body.ofSource(() => Promise.reject(failure), 'application/json'),
    };
    expect((await answer(door('xml'), broken)).status).toBe(status);
    // Wherever it is read.
    const set: StepDocument = { kind: 'set', values: { a: 'body.a' } };
    expect((await answer(api([pass, set]), broken)).status).toBe(status);
  });
});

describe('requests that come in without a schema', () => {
  const post = (text: string, mediaType: string) => ({ headers: { 'content-type': mediaType }, body: text });
  const sent = async (document: FlowDocument, sample: object) => {
    const { sent: s, status } = await answer(document, json({}), sample);
    return [status, s.headers['content-type'], bare(s.body.text())];
  };

  test('XML at a door of XML reaches flow and backend as JSON', async () => {
    expect(await sent(door('xml'), post('<berth><id>N-07</id></berth>', 'application/xml'))).toEqual([
      200,
      'application/json',
      '{"berth":{"id":"N-07"}}',
    ]);
    const flow: StepDocument[] = [{ kind: 'reply', from: 'body.berth.id', mediaType: 'text/plain' }];
    const w = world(door('xml', flow), () => json({}));
    expect((await w.run({ path: { id: '1' }, ...post('<berth><id>N-07</id></berth>', 'text/xml') })).reply.body).toBe(
      'N-07',
    );
  });

  test('unless the operation takes XML', async () => {
    const xml = '<berth><id>N-07</id></berth>';
    expect(
      await sent(door('xml', [pass], { request: { mediaType: 'application/xml' } }), post(xml, 'application/xml')),
    ).toEqual([200, 'application/xml', xml]);
  });

  test('JSON at a door of JSON, for an operation that takes XML', async () => {
    expect(
      await sent(
        door('json', [pass], { request: { mediaType: 'application/xml' } }),
        post('{"berth":{"id":"N-07"}}', 'application/json'),
      ),
    ).toEqual([200, 'application/xml', '<berth><id>N-07</id></berth>']);
  });

  test('anything else as it came', async () => {
    expect(await sent(door('json'), post('{"a":0.90}', 'application/json'))).toEqual([
      200,
      'application/json',
      '{"a":0.90}',
    ]);
    expect((await sent(door('xml'), post('hello', 'text/plain')))[2]).toBe('hello');
  });

  test('what cannot be read is 400 with its place', async () => {
    const w = world(door('xml'), () => json({}));
    const { reply: got } = await w.run({ path: { id: '1' }, ...post('<a><b></a>', 'application/xml') });
    expect([got.status, w.sent.length]).toEqual([400, 0]);
    expect(JSON.stringify(got.body)).toMatch(/line 1/);
  });
});

describe('a list of nothing is a list', () => {
  const list = { type: 'array' as const, items: { type: 'object' as const } };
  const mapped = async (from: string, body: unknown, required = true, to = '/body/list') => {
    const schema =
      to === '/body'
        ? list
        : { type: 'object' as const, properties: { list }, ...(required && { required: ['list'] }) };
    const map: StepDocument = { kind: 'map', to: 'reply', fields: [{ to, from }] };
    const w = world(api([pass, map], { reply: { mediaType: 'application/json', schema } }), () => json(body));
    const { reply: got } = await w.run({ path: { id: '1' } });
    return got.status === 200 ? got.body : got.status;
  };
  const EMPTY = { items: [], o: { items: [] }, list: [{ items: [] }, {}], none: null };
  test.each([
    'body.items',
    'body.items.name',
    'body.items.{"name": name}',
    'body.items[name = "x"]',
    '$filter(body.items, function($i) { $i.name = "x" })',
    '$map(body.items, function($i) { $i.name })',
    'body.o.items.name',
    'body.list.items',
    'body.list.other',
    '$sort(body.items)',
    '[]',
    '[body.items.name]',
  ])('%s of an empty list', async (from) => {
    expect(await mapped(from, EMPTY)).toEqual({ list: [] });
    expect(await mapped(from, EMPTY, false)).toEqual({ list: [] });
    expect(await mapped(from, EMPTY, true, '/body')).toEqual([]);
  });

  test.each(['body.nothing', 'body.nothing.name', '$filter(body.nothing, function($i) { true })', 'body.o.name'])(
    '%s, where there is no list, is none',
    async (from) => {
      expect(await mapped(from, EMPTY, false)).toEqual({});
      expect(await mapped(from, EMPTY)).toEqual({});
    },
  );

  test('one and many stay what they are', async () => {
    const items = [{ name: 'a' }, { name: 'b' }];
    expect(await mapped('body.items.{"name": name}', { items: items.slice(0, 1) })).toEqual({
      list: items.slice(0, 1),
    });
    expect(await mapped('body.items.{"name": name}', { items })).toEqual({ list: items });
  });

  test('a filter at the end of a path has its budget and its names', async () => {
    expect(await mapped('($n := "b"; body.items)[name = $n]', { items: [{ name: 'a' }, { name: 'b' }] })).toBeDefined();
    expect(await mapped('body.items[$count($pad("", 100000000)) > 0]', { items: [{}] })).toBe(500);
  });
});
