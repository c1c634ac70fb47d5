import { describe, expect, test } from '@jest/globals';
import { checkDocument, fixOf, type Code, type FlowDocument, type StepDocument } from '../src';
import { answer, api, call } from './small-world';
import { draft } from './flow-world';

const post = { method: 'POST' as const, path: '/x', parameters: [], request: { mediaType: 'application/json' } };
const dead: StepDocument = {
  kind: 'choose',
  lines: [
    { when: 'true', flow: [answer('1')] },
    { when: 'false', flow: [answer('2')] },
  ],
  otherwise: [answer('3')],
};
const unread = {
  ...api([answer('1')]),
  cases: [{ name: 'c', operation: 'Do', request: { path: { id: '1' }, query: { 'a/b': 1 } } }],
};
const noMap = () => {
  const d = draft();
  d.operations.GetBerth!.flow.shift();
  return d;
};

/** A fix takes its own finding away and brings no other error. */
describe('one click mends', () => {
  test.each<[Code, FlowDocument]>([
    ['HNG-307', api([answer('1')], { reply: { schema: { type: 'integer' } } })],
    ['HNG-307', api([{ kind: 'reply', from: '1' }])],
    ['HNG-308', api([{ kind: 'set', values: { a: '1' } }])],
    [
      'HNG-309',
      api([{ kind: 'map', to: 'reply', fields: [{ to: '/body/no', from: '1' }] }], {
        reply: {
          mediaType: 'application/json',
          schema: { type: 'object', properties: {}, additionalProperties: false },
        },
      }),
    ],
    ['HNG-315', api([dead])],
    ['HNG-315', api([answer('1'), call('one')])],
    ['HNG-315', api([call('one', { routes: [{}, { when: 'true' }] })])],
    ['HNG-319', api([{ kind: 'remember', seconds: 5, flow: [call('one')] }], post)],
    ['HNG-320', api([call('one', { retry: { times: 1 } })], post)],
    ['HNG-322', unread],
    ['HNG-327', noMap()],
  ])('%s', (code, document) => {
    const found = checkDocument(document);
    const mine = found.find((f) => f.code === code)!;
    const fix = fixOf(mine, document)!;
    const after = checkDocument(fix.document);
    expect(
      after.filter((f) => f.code === code && f.place.pointer === mine.place.pointer && f.message === mine.message),
    ).toEqual([]);
    // The map that is put in front has its fields to be joined: that is said at once.
    const before = new Set(found.map((f) => f.code));
    expect(after.filter((f) => f.severity === 'error' && !before.has(f.code) && f.code !== 'HNG-303')).toEqual([]);
  });

  test('what cannot be mended without a person has no fix', () => {
    const document = api([{ kind: 'call', backend: 'nowhere' }]);
    for (const f of checkDocument(document)) expect(fixOf(f, document)).toBeUndefined();
  });
});
