import { pointerParts } from '../schema';
import { partsOf } from './context';
import type { StepDocument } from './document';

/** Changes to a flow by pointers (`/0`, `/2/lines/1/flow/0`). Pure: the flow that comes in stays as it is; what a pointer does not find changes nothing. */

type Flow = readonly StepDocument[];

/** Pointer of the series that holds a step, and the step's place in it. */
export function placeOfStep(at: string): { series: string; index: number } {
  const cut = at.lastIndexOf('/');
  return { series: at.slice(0, cut), index: Number(at.slice(cut + 1)) };
}

export function stepAt(flow: Flow, at: string): StepDocument | undefined {
  const { series, index } = placeOfStep(at);
  return seriesAt(flow, series)?.[index];
}

/** The steps at a pointer to a series: '' is the flow itself. */
export function seriesAt(flow: Flow, pointer: string): Flow | undefined {
  if (pointer === '') return flow;
  const first = pointerParts(pointer)[0]!;
  const step = flow[Number(first)];
  if (!step) return undefined;
  const rest = pointer.slice(first.length + 1);
  for (const part of partsOf(step))
    if (rest === part.pointer || rest.startsWith(`${part.pointer}/`))
      return seriesAt(part.flow, rest.slice(part.pointer.length));
  return undefined;
}

/** The flow with one series changed. */
export function changeSeries(flow: Flow, pointer: string, change: (series: Flow) => Flow): StepDocument[] {
  if (pointer === '') return [...change(flow)];
  const first = pointerParts(pointer)[0]!;
  const index = Number(first);
  const rest = pointer.slice(first.length + 1);
  return flow.map((step, i) => {
    if (i !== index) return step;
    for (const part of partsOf(step))
      if (rest === part.pointer || rest.startsWith(`${part.pointer}/`))
        return withPart(step, part.pointer, changeSeries(part.flow, rest.slice(part.pointer.length), change));
    return step;
  });
}

/** The step with another flow at one of its parts. */
function withPart(step: StepDocument, pointer: string, flow: StepDocument[]): StepDocument {
  const set = (node: unknown, parts: readonly string[]): unknown => {
    const [head, ...rest] = parts;
    if (head === undefined) return flow;
    if (Array.isArray(node)) return node.map((x, i) => (String(i) === head ? set(x, rest) : (x as unknown)));
    const object = node as Record<string, unknown>;
    return { ...object, [head]: set(object[head], rest) };
  };
  return set(step, pointerParts(pointer)) as StepDocument;
}

export function replaceStep(flow: Flow, at: string, step: StepDocument): StepDocument[] {
  const { series, index } = placeOfStep(at);
  return changeSeries(flow, series, (s) => s.map((x, i) => (i === index ? step : x)));
}

/** Puts steps in front of `at`; a place behind the last step is `/n`. */
export function insertSteps(flow: Flow, at: string, steps: readonly StepDocument[]): StepDocument[] {
  const { series, index } = placeOfStep(at);
  return changeSeries(flow, series, (s) => [...s.slice(0, index), ...steps, ...s.slice(index)]);
}

/** Takes `count` steps of one series away. */
export function removeSteps(flow: Flow, at: string, count = 1): StepDocument[] {
  const { series, index } = placeOfStep(at);
  return changeSeries(flow, series, (s) => [...s.slice(0, index), ...s.slice(index + count)]);
}

/** Moves a step in front of `to` (told before the move). A step never goes into itself. Returns its new place too. */
export function moveStep(flow: Flow, at: string, to: string): { flow: StepDocument[]; at: string } {
  const step = stepAt(flow, at);
  const from = placeOfStep(at);
  const goal = placeOfStep(to);
  if (!step || goal.series === at || goal.series.startsWith(`${at}/`) || !seriesAt(flow, goal.series))
    return { flow: [...flow], at };
  const removed = removeSteps(flow, at);
  const shifted = afterRemoval(to, from);
  return { flow: insertSteps(removed, shifted, [step]), at: shifted };
}

/** A pointer as it is once the step at `from` is gone. */
function afterRemoval(pointer: string, from: { series: string; index: number }): string {
  if (!pointer.startsWith(`${from.series}/`)) return pointer;
  const rest = pointer.slice(from.series.length + 1);
  const cut = rest.indexOf('/');
  const index = Number(cut < 0 ? rest : rest.slice(0, cut));
  if (!(index > from.index)) return pointer;
  return `${from.series}/${index - 1}${cut < 0 ? '' : rest.slice(cut)}`;
}

export type Wrapper = 'choose' | 'gather' | 'each' | 'attempt' | 'remember';

/** Puts `count` steps from `at` on inside a new step. */
export function wrapSteps(flow: Flow, at: string, count: number, kind: Wrapper): StepDocument[] {
  const { series, index } = placeOfStep(at);
  return changeSeries(flow, series, (s) => {
    const inner = s.slice(index, index + count);
    return inner.length ? [...s.slice(0, index), wrapper(kind, inner), ...s.slice(index + count)] : [...s];
  });
}

function wrapper(kind: Wrapper, flow: Flow): StepDocument {
  const steps = [...flow];
  switch (kind) {
    case 'choose':
      return { kind, lines: [{ when: 'true', flow: steps }], otherwise: [] };
    case 'gather':
      return { kind, lines: [{ name: 'first', flow: steps }] };
    case 'each':
      return { kind, items: 'body', flow: steps };
    case 'attempt':
      return { kind, flow: steps, failures: [{ on: ['any'], flow: [] }] };
    case 'remember':
      return { kind, seconds: 60, flow: steps };
  }
}

/** Takes the steps out of a step and puts them in its place: of a choose or gather those of its first line. */
export function unwrapStep(flow: Flow, at: string): StepDocument[] {
  const step = stepAt(flow, at);
  const inner = step && partsOf(step)[0]?.flow;
  return inner ? insertSteps(removeSteps(flow, at), at, inner) : [...flow];
}
