import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  insertSteps,
  lineOf,
  layoutTrack,
  moveStep,
  placeOfStep,
  removeSteps,
  replaceStep,
  seriesAt,
  stepAt,
  unwrapStep,
  walkFlow,
  wrapSteps,
  type StepDocument,
} from '../src';

const set = (name: string): StepDocument => ({ kind: 'set', name, values: { x: '1' } });
const flow: StepDocument[] = [
  set('a'),
  {
    kind: 'choose',
    name: 'c',
    lines: [
      { when: 'true', flow: [set('c1'), set('c2')] },
      { when: 'false', flow: [] },
    ],
    otherwise: [{ kind: 'attempt', name: 't', flow: [set('t1')], failures: [{ on: ['any'], flow: [set('f1')] }] }],
  },
  set('z'),
];
const names = (f: readonly StepDocument[]): string => {
  const out: string[] = [];
  walkFlow(f, (s, at) => out.push(`${s.name ?? s.kind}${at}`));
  return out.join(' ');
};

describe('editing by pointers', () => {
  test('steps are found where they stand', () => {
    expect(names(flow)).toBe(
      'a/0 c/1 c1/1/lines/0/flow/0 c2/1/lines/0/flow/1 t/1/otherwise/0 t1/1/otherwise/0/flow/0 f1/1/otherwise/0/failures/0/flow/0 z/2',
    );
    expect(stepAt(flow, '/1/otherwise/0/failures/0/flow/0')!.name).toBe('f1');
    expect(stepAt(flow, '/1/lines/7/flow/0')).toBeUndefined();
    expect(seriesAt(flow, '/1/lines/1/flow')).toEqual([]);
  });

  test('the line is the same while values and names change, another when a step comes, goes, or takes another aim', () => {
    const call = (operation: string): StepDocument => ({ kind: 'call', backend: 'vessels', operation });
    const map = (to: string, from: string): StepDocument => ({
      kind: 'map',
      to: { backend: 'vessels', operation: to },
      fields: [{ to: '/path/id', from }],
    });
    const line = lineOf([map('getOwner', 'path.id'), call('getOwner')]);
    expect(lineOf([map('getOwner', 'query.id'), { ...call('getOwner'), name: 'the owner' }])).toBe(line);
    const others = [
      [],
      [call('getOwner')],
      [call('getOwner'), map('getOwner', 'path.id')],
      [map('getShip', 'path.id'), call('getOwner')],
      [map('getOwner', 'path.id'), call('getShip')],
      [map('getOwner', 'path.id'), { ...call('getOwner'), off: true }],
      [map('getOwner', 'path.id'), call('getOwner'), call('getOwner')],
    ].map(lineOf);
    expect(new Set([line, ...others]).size).toBe(others.length + 1);
    // Inside of others too.
    expect(lineOf(insertSteps(flow, '/1/lines/1/flow/0', [set('new')]))).not.toBe(lineOf(flow));
    expect(lineOf(replaceStep(flow, '/1/lines/0/flow/0', set('other')))).toBe(lineOf(flow));
  });

  test('put in, take away, replace', () => {
    expect(names(insertSteps(flow, '/1/lines/1/flow/0', [set('new')]))).toContain('new/1/lines/1/flow/0');
    expect(names(insertSteps(flow, '/3', [set('new')]))).toMatch(/z\/2 new\/3$/);
    expect(names(removeSteps(flow, '/1/lines/0/flow/0'))).toContain('c2/1/lines/0/flow/0 t');
    expect(stepAt(replaceStep(flow, '/1/otherwise/0/flow/0', set('q')), '/1/otherwise/0/flow/0')!.name).toBe('q');
    expect(names(flow)).toContain('c1/1/lines/0/flow/0');
  });

  test('wrapping and unwrapping give the same steps back', () => {
    for (const kind of ['choose', 'gather', 'each', 'attempt', 'remember'] as const) {
      const wrapped = wrapSteps(flow, '/0', 2, kind);
      expect(wrapped).toHaveLength(2);
      expect(unwrapStep(wrapped, '/0')).toEqual(flow);
    }
    expect(wrapSteps(flow, '/9', 2, 'each')).toEqual(flow);
  });

  test('a step moves along, into and out of lines, never into itself', () => {
    expect(moveStep(flow, '/0', '/3')).toMatchObject({ at: '/2' });
    const into = moveStep(flow, '/0', '/1/lines/1/flow/0');
    expect(into.at).toBe('/0/lines/1/flow/0');
    expect(stepAt(into.flow, into.at)!.name).toBe('a');
    expect(moveStep(into.flow, into.at, '/0').flow).toEqual(flow);
    expect(moveStep(flow, '/1', '/1/otherwise/0')).toEqual({ flow, at: '/1' });
    expect(moveStep(flow, '/0', '/1/lines/9/flow/0')).toEqual({ flow, at: '/0' });
  });

  test('property: moves lose nothing and double nothing, and the step is where it is said to be', () => {
    const places: string[] = [];
    walkFlow(flow, (_s, at) => places.push(at));
    const goals = [
      ...places,
      '/3',
      '/1/lines/0/flow/2',
      '/1/lines/1/flow/0',
      '/1/otherwise/1',
      '/1/otherwise/0/flow/1',
    ];
    const bag = (f: readonly StepDocument[]) =>
      names(f)
        .split(' ')
        .map((n) => n.replace(/\/.*/, ''))
        .sort()
        .join();
    fc.assert(
      fc.property(fc.constantFrom(...places), fc.constantFrom(...goals), (from, to) => {
        const moved = moveStep(flow, from, to);
        expect(bag(moved.flow)).toBe(bag(flow));
        expect(stepAt(moved.flow, moved.at)).toBe(stepAt(flow, from));
      }),
      { seed: 5, numRuns: 300 },
    );
  });
});

describe('the track', () => {
  test('one pin for each step, in the order of the line, none upon another', () => {
    const t = layoutTrack(flow, 1280);
    const at = t.pins.map((p) => p.at);
    const wanted: string[] = [];
    walkFlow(flow, (_s, p) => wanted.push(p));
    expect([...at].sort()).toEqual([...wanted].sort());
    for (const a of t.pins)
      for (const b of t.pins) if (a !== b && a.y === b.y) expect(Math.abs(a.x - b.x)).toBeGreaterThanOrEqual(103);
    for (const p of t.pins) {
      const { series, index } = placeOfStep(p.at);
      const before = t.pins.find((q) => q.at === `${series}/${index - 1}`);
      if (before) expect(p.x).toBeGreaterThan(before.x);
      expect(p.y).toBeLessThan(t.height);
      expect(p.x).toBeLessThan(t.width);
    }
  });

  test('lines have rows of their own and come together behind the longest', () => {
    const t = layoutTrack(flow, 1280);
    const y = (at: string) => t.pins.find((p) => p.at === at)!.y;
    expect(y('/1/lines/0/flow/0')).toBe(y('/0'));
    expect(y('/1/otherwise/0')).toBeGreaterThan(y('/0'));
    expect(y('/1/otherwise/0/failures/0/flow/0')).toBeGreaterThan(y('/1/otherwise/0'));
    expect(t.words.map((w) => w.text)).toEqual(['true', 'false', 'attempt', 'on any', 'otherwise']);
    expect(t.joins.length).toBe(2);
    for (const j of t.joins) expect(j.x).toBeLessThan(t.pins.find((p) => p.at === '/2')!.x);
  });

  test('every place where a step can be put in is offered once, the empty line too', () => {
    const t = layoutTrack(flow, 1280);
    expect(new Set(t.slots.map((s) => s.at)).size).toBe(t.slots.length);
    expect(t.slots.map((s) => s.at)).toEqual(
      expect.arrayContaining(['/0', '/3', '/1/lines/1/flow/0', '/1/otherwise/1']),
    );
  });

  test('an empty flow, a choose without otherwise, two hundred steps', () => {
    expect(layoutTrack([], 1280).slots.map((s) => s.at)).toEqual(['/0']);
    const bare = layoutTrack([{ kind: 'choose', lines: [{ when: 'true', flow: [] }] }], 1280);
    expect(bare.words.map((w) => w.text)).toEqual(['true', 'otherwise goes on']);
    const many = layoutTrack(
      Array.from({ length: 200 }, (_, i) => set(`s${i}`)),
      1280,
    );
    expect(many.pins).toHaveLength(200);
    expect(many.width).toBeGreaterThan(200 * 104);
  });
});
