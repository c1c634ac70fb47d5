import { describe, expect, test } from '@jest/globals';
import { NAME_EXAMPLE, NAME_WORDS, type StepDocument } from '../src';
import { NAMES } from '../src/flow/scope';
import { api, json, world } from './small-world';

describe('names that expressions begin with', () => {
  test('each has words', () => expect(NAME_WORDS.map((n) => n.name)).toEqual(NAMES));

  test.each(NAME_WORDS.map((n) => [n.name, n] as const))('%s gives what its example says', async (_name, n) => {
    const flow: StepDocument[] = [
      { kind: 'set', name: 'first', values: { office: '"TH-22"' } },
      { kind: 'reply', from: `{ "gives": ${n.example} }`, mediaType: 'application/json' },
    ];
    const text = { type: 'string' } as const;
    const document = api(flow, {
      method: 'POST',
      path: '/vessels/{callNumber}/*',
      parameters: [
        { name: 'callNumber', in: 'path', required: true, schema: text },
        { name: 'days', in: 'query', schema: { type: 'integer' } },
        { name: 'quay', in: 'query', schema: text },
        { name: 'session', in: 'cookie', schema: text },
      ],
    });
    const who = { app: { id: 'pilot', name: 'Pilots' }, plan: { name: 'Gold', values: { rows: 20 } } };
    const w = world(document, () => json({}), {}, { office: 'TH-01' });
    const { reply } = await w.run({ ...NAME_EXAMPLE }, 'Do', who);
    expect(reply.body).toEqual({ gives: n.gives });
  });
});
