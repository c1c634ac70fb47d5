import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  compareDocuments,
  compareFlows,
  insertSteps,
  moveStep,
  removeSteps,
  replaceStep,
  stepAt,
  walkFlow,
  wrapSteps,
  type FlowDocument,
  type StepDocument,
} from '../src';
import { answer, api } from './small-world';

const set = (name: string, value = '1'): StepDocument =>
  ({ kind: 'set', name, values: { [name]: value } }) as StepDocument;
const call = (backend: string, operation: string): StepDocument => ({ kind: 'call', backend, operation });
const marks = (from: StepDocument[], to: StepDocument[]) =>
  compareFlows(from, to).map((s) => `${'  '.repeat(s.depth)}${s.change} ${s.kind} ${s.from ?? '-'} ${s.to ?? '-'}`);

const FLOW: StepDocument[] = [
  set('a'),
  {
    kind: 'choose',
    lines: [
      { when: 'x = 1', flow: [call('tow', 'order'), set('b')] },
      { when: 'x = 2', flow: [call('barge', 'order')] },
    ],
    otherwise: [],
  },
  answer('body'),
];
const pointers = (flow: readonly StepDocument[]) => {
  const out: string[] = [];
  walkFlow(flow, (_s, at) => out.push(at));
  return out.sort();
};

describe('versions of a flow', () => {
  test('nothing, one thing, everything', () => {
    expect(compareFlows([], [])).toEqual([]);
    expect(compareFlows(FLOW, structuredClone(FLOW)).every((s) => s.change === 'same')).toBe(true);
    expect(marks([], [set('a')])).toEqual(['added set - /0']);
    expect(marks([set('a')], [])).toEqual(['removed set /0 -']);
  });

  test('a change inside a line is a change of that step alone', () => {
    const next = replaceStep(FLOW, '/1/lines/0/flow/1', set('b', '2'));
    expect(compareFlows(FLOW, next).filter((s) => s.change !== 'same')).toEqual([
      {
        change: 'changed',
        kind: 'set',
        depth: 1,
        from: '/1/lines/0/flow/1',
        to: '/1/lines/0/flow/1',
        before: set('b'),
        after: set('b', '2'),
      },
    ]);
  });

  test('a condition that changed is a change of the choose; its steps stay', () => {
    const next = structuredClone(FLOW);
    (next[1] as { lines: { when: string }[] }).lines[0]!.when = 'x > 9';
    expect(marks(FLOW, next)).toEqual([
      'same set /0 /0',
      'changed choose /1 /1',
      '  same call /1/lines/0/flow/0 /1/lines/0/flow/0',
      '  same set /1/lines/0/flow/1 /1/lines/0/flow/1',
      '  same call /1/lines/1/flow/0 /1/lines/1/flow/0',
      'same reply /2 /2',
    ]);
  });

  test('a step put in front moves the others and changes none; another operation of a call is a change of the call', () => {
    expect(marks(FLOW, insertSteps(FLOW, '/0', [set('z')])).slice(0, 2)).toEqual(['added set - /0', 'same set /0 /1']);
    expect(marks([call('a', 'x')], [call('a', 'y')])).toEqual(['changed call /0 /0']);
    expect(marks([call('a', 'x'), set('s')], [set('t'), call('a', 'x')])).toEqual([
      'added set - /0',
      'same call /0 /1',
      'removed set /1 -',
    ]);
  });

  test('every step of both versions stands in the comparison once, whatever was edited', () => {
    const edit = fc.tuple(fc.integer({ min: 0, max: 5 }), fc.nat(), fc.nat());
    fc.assert(
      fc.property(fc.array(edit, { maxLength: 8 }), (edits) => {
        let flow: StepDocument[] = FLOW;
        for (const [what, a, b] of edits) {
          const places = pointers(flow);
          const at = places[a % places.length] ?? '/0';
          const to = places[b % places.length] ?? '/0';
          if (what === 0) flow = insertSteps(flow, at, [set(`n${b % 3}`)]);
          if (what === 1) flow = removeSteps(flow, at);
          if (what === 2) flow = moveStep(flow, at, to).flow;
          if (what === 3) flow = wrapSteps(flow, at, 1, 'attempt');
          if (what === 4 && stepAt(flow, at)?.kind === 'set') flow = replaceStep(flow, at, set('c', String(b)));
          if (what === 5) flow = insertSteps(flow, at, [stepAt(flow, to) ?? set('q')]);
        }
        const found = compareFlows(FLOW, flow);
        expect(found.flatMap((s) => s.from ?? []).sort()).toEqual(pointers(FLOW));
        expect(found.flatMap((s) => s.to ?? []).sort()).toEqual(pointers(flow));
        for (const s of found) {
          if (s.from !== undefined) expect(stepAt(FLOW, s.from)!.kind).toBe(s.before!.kind);
          if (s.change === 'same') expect(s.after).toEqual(s.before);
        }
      }),
      { seed: 20261123, numRuns: 300 },
    );
  });
});

test('documents: operations that came, went or changed, and other parts by name', () => {
  const from = api(FLOW);
  const [id] = Object.keys(from.operations);
  const to: FlowDocument = {
    ...from,
    doors: [{ ...from.doors[0]!, path: '/v9' }],
    operations: {
      [id!]: { ...from.operations[id!]!, summary: 'Other words' },
      fresh: { method: 'GET', path: '/fresh', flow: [] },
    },
    text: { format: 'yaml', source: 'openapi: 3.1.0' },
  };
  const { operations, parts } = compareDocuments(from, to);
  expect(operations.map((o) => [o.id, o.change, o.shape])).toEqual([
    [id, 'changed', 'changed'],
    ['fresh', 'added', 'added'],
  ]);
  expect(parts.map((p) => p.name)).toEqual(['doors']);
  expect(compareDocuments(to, from).operations[1]!.change).toBe('removed');
});
