import { describe, expect, test } from '@jest/globals';
import { checkDocument, writeJson, type FlowDocument, type StepDocument } from '../src';
import { answer, api, json, world } from './small-world';

const document = (
  before: StepDocument[],
  after: StepDocument[] = [],
  flow: StepDocument[] = [answer('body')],
): FlowDocument => {
  const d = api(flow, { method: 'POST' });
  return {
    ...d,
    doors: [
      { ...d.doors[0]!, before, after },
      { name: 'other', path: '/other' },
    ],
  };
};
const sample = { path: { id: '7' }, body: { a: 1, b: [2] }, headers: { 'x-office': 'TH' } };

describe('steps of doors', () => {
  test('before the flow a map gives the request another shape; method, path and other headers stay', async () => {
    const map: StepDocument = {
      kind: 'map',
      to: 'request',
      whole: '{"c": body.b}',
      fields: [{ to: '/headers/X-Via', from: '"quay"' }],
    };
    const flow = [
      answer('{"body": body, "via": headers.`x-via`, "office": headers.`x-office`, "method": method, "id": path.id}'),
    ];
    const r = await world(document([map], [], flow)).run(sample);
    expect(r.reply.body).toEqual({ body: { c: [2] }, via: 'quay', office: 'TH', method: 'POST', id: '7' });
  });

  test('without a body in the map the one that came goes on, to a backend too', async () => {
    const map: StepDocument = { kind: 'map', to: 'request', fields: [{ to: '/headers/x-via', from: '"quay"' }] };
    const w = world(document([map], [], [{ kind: 'call', backend: 'one' }]), () => json({ ok: true }));
    const r = await w.run(sample);
    expect(r.reply.body).toEqual({ ok: true });
    expect(w.sent[0]!.headers).toMatchObject({ 'x-via': 'quay', 'content-type': 'application/json' });
    expect(JSON.parse(w.sent[0]!.body.text())).toEqual(sample.body);
  });

  test('behind a reply it is refused', async () => {
    const map: StepDocument = { kind: 'map', to: 'request', whole: 'body' };
    const r = await world(document([], [map])).run(sample);
    expect([r.reply.status, r.error?.inner]).toEqual([500, 'a map to the request stands behind a reply']);
  });

  test('their mistakes are findings at their place', () => {
    const found = checkDocument(
      document([{ kind: 'set', values: { x: 'a b' } }], [{ kind: 'call', backend: 'nowhere' }]),
    ).map((f) => [f.code, f.place.pointer]);
    expect(found).toContainEqual(['HNG-304', '/doors/0/before/0/values/x']);
    expect(found.some(([, pointer]) => pointer?.startsWith('/doors/0/after/0'))).toBe(true);
  });

  test('rename of a member for one door only, and back in its reply', async () => {
    const d = document(
      [{ kind: 'map', to: 'request', whole: '{"b": body.old}' }],
      [{ kind: 'map', to: 'reply', whole: '{"old": body.b}' }],
      [answer('{"b": body.b + 1}')],
    );
    const old = await world(d).run({ ...sample, body: { old: 4 } });
    expect(writeJson(old.reply.body)).toBe('{"old":5}');
    const plain = await world({ ...d, doors: [d.doors[1]!] }).run({ ...sample, body: { b: 4 } });
    expect(writeJson(plain.reply.body)).toBe('{"b":5}');
  });
});
