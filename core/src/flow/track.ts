import type { StepDocument } from './document';
import { stepKind } from '../steps/registry';

/** One pin on the track. Coordinates in CSS pixels, the middle of the pin. */
export interface TrackPin {
  readonly at: string;
  readonly kind: StepDocument['kind'];
  readonly name: string;
  readonly label: string;
  readonly off: boolean;
  readonly x: number;
  readonly y: number;
}

/** A piece of line. `at` is the series of steps that it belongs to, '' for the flow itself. */
export interface TrackRail {
  readonly at: string;
  readonly d: string;
}

/** The name of a line, where it leaves the one above. */
export interface TrackWord {
  readonly at: string;
  readonly text: string;
  readonly x: number;
  readonly y: number;
  readonly width: number;
}

/** From the pin of a step to where its inner steps end: what is repeated or remembered. */
export interface TrackSpan {
  readonly at: string;
  readonly from: number;
  readonly to: number;
  readonly y: number;
}

/** Where a step can be put in: `at` is the place that it gets. */
export interface TrackSlot {
  readonly at: string;
  readonly x: number;
  readonly y: number;
}

export interface Track {
  readonly pins: readonly TrackPin[];
  readonly rails: readonly TrackRail[];
  readonly words: readonly TrackWord[];
  readonly spans: readonly TrackSpan[];
  readonly slots: readonly TrackSlot[];
  /** Places where lines come together again. */
  readonly joins: readonly { readonly x: number; readonly y: number }[];
  readonly line: { readonly from: number; readonly to: number; readonly y: number };
  readonly width: number;
  readonly height: number;
  /** Several rows: times stand beside the names. */
  readonly compact: boolean;
}

/** Room that the ends need for their words, and the least between two pins; beyond it the track scrolls. */
const ENDS = 160;
const LEAST_GAP = 104;
const MOST_GAP = 220;
const ROW = 78;
/** Where the line stands in a track of several rows: times stand beside the names then, and need no room above. */
const TOP = 42;
/** Where lines part and join, in parts of a gap. */
const JOIN = 0.5;
const FORK = 0.45;
/** Room for the name of a line before its first pin. */
const LEAD = 0.3;
const EMPTY = 0.9;

interface Line {
  readonly pointer: string;
  readonly name: string;
  readonly flow: readonly StepDocument[];
}

/** Lines of a step beside each other; a choose without otherwise has a line on which nothing happens. */
function linesOf(step: StepDocument): readonly Line[] {
  const parts = stepKind(step.kind).parts?.(step) ?? [];
  if (step.kind === 'choose' && !step.otherwise)
    return [...parts, { pointer: '', name: 'otherwise goes on', flow: [] }];
  return parts;
}

const unitsOf = (flow: readonly StepDocument[]): number => flow.reduce((sum, s) => sum + unitsOfStep(s), 0);

function unitsOfStep(step: StepDocument): number {
  const lines = linesOf(step);
  return lines.length > 1
    ? 1 + FORK + LEAD + Math.max(EMPTY, ...lines.map((l) => unitsOf(l.flow))) + JOIN
    : lines.length
      ? 1 + Math.max(EMPTY, ...lines.map((l) => unitsOf(l.flow))) + JOIN
      : 1;
}

const rowsOf = (flow: readonly StepDocument[]): number => flow.reduce((most, s) => Math.max(most, rowsOfStep(s)), 1);
const rowsOfStep = (step: StepDocument): number =>
  Math.max(
    1,
    linesOf(step).reduce((sum, l) => sum + rowsOf(l.flow), 0),
  );

/**
 * Lays a flow out left to right. The first line of a step that has several goes straight on, the others leave below it and come back. Pure: the
 * same flow and width give the same picture.
 */
export function layoutTrack(flow: readonly StepDocument[], availableWidth: number, height = 144): Track {
  const units = unitsOf(flow);
  const room = Math.max(0, availableWidth - 2 * ENDS);
  const gap = units === 0 ? room : Math.min(MOST_GAP, Math.max(LEAST_GAP, room / (units + 1)));
  const width = Math.max(availableWidth, 2 * ENDS + gap * (units + 1));
  const rows = rowsOf(flow);
  const compact = rows > 1;
  const y = compact ? TOP : Math.round(height * 0.43);
  const out = { pins: [], rails: [], words: [], spans: [], slots: [], joins: [] } as {
    pins: TrackPin[];
    rails: TrackRail[];
    words: TrackWord[];
    spans: TrackSpan[];
    slots: TrackSlot[];
    joins: { x: number; y: number }[];
  };

  const series = (steps: readonly StepDocument[], pointer: string, start: number, end: number, top: number): void => {
    let x = start;
    let from = start;
    steps.forEach((step, i) => {
      const at = `${pointer}/${i}`;
      out.slots.push({ at, x: Math.round(x), y: top });
      const middle = x + gap / 2;
      const lines = linesOf(step);
      out.pins.push({
        at,
        kind: step.kind,
        name: step.name ?? step.kind,
        label: stepKind(step.kind).label(step),
        off: step.off ?? false,
        x: Math.round(middle),
        y: top,
      });
      const own = unitsOfStep(step) * gap;
      if (lines.length) {
        out.rails.push({ at: pointer, d: `M ${r(from)} ${top} H ${r(middle)}` });
        inner(at, lines, middle, x + own - (gap * JOIN) / 2, top);
        from = x + own - (gap * JOIN) / 2;
      }
      x += own;
    });
    out.slots.push({ at: `${pointer}/${steps.length}`, x: Math.round(steps.length ? x : (start + end) / 2), y: top });
    out.rails.push({ at: pointer, d: `M ${r(from)} ${top} H ${r(end)}` });
  };

  const inner = (at: string, lines: readonly Line[], fork: number, join: number, top: number): void => {
    let row = top;
    lines.forEach((line, i) => {
      const several = lines.length > 1;
      const start = fork + gap / 2 + (several ? gap * FORK : 0);
      const pointer = line.pointer ? at + line.pointer : `${at}/otherwise`;
      if (i > 0) {
        const bend = Math.min(26, gap / 4);
        const leave = fork + gap * 0.44;
        const half = (start - leave) / 2;
        out.rails.push({
          at: pointer,
          d: `M ${r(leave)} ${top} C ${r(leave + half)} ${top}, ${r(start - half)} ${row}, ${r(start)} ${row} H ${r(start + gap * LEAD)}`,
        });
        out.rails.push({
          at: pointer,
          d: `M ${r(join - 2 * bend)} ${row} C ${r(join)} ${row}, ${r(join - bend)} ${top}, ${r(join)} ${top}`,
        });
        if (line.pointer) series(line.flow, pointer, start + gap * LEAD, join - 2 * bend, row);
        else out.rails.push({ at: pointer, d: `M ${r(start)} ${row} H ${r(join - 2 * bend)}` });
      } else {
        out.rails.push({ at: pointer, d: `M ${r(fork)} ${row} H ${r(several ? start + gap * LEAD : start)}` });
        series(line.flow, pointer, several ? start + gap * LEAD : start, join, row);
      }
      if (lines.length > 1)
        out.words.push({
          at: pointer,
          text: line.name,
          x: r(start - 6),
          y: row,
          width: Math.round(gap * (0.5 + LEAD)) - 6,
        });
      row += rowsOf(line.flow) * ROW;
    });
    if (lines.length === 1) out.spans.push({ at, from: r(fork), to: r(join), y: top });
    out.joins.push({ x: r(join), y: top });
  };

  // Few pins stand together in the middle, so that the eye need not travel.
  const first = (width - gap * units) / 2;
  series(flow, '', first, first + gap * units, y);
  out.rails.push({ at: '', d: `M ${ENDS} ${y} H ${r(first)}` });
  out.rails.push({ at: '', d: `M ${r(first + gap * units)} ${y} H ${r(width - ENDS)}` });
  return {
    ...out,
    line: { from: ENDS, to: width - ENDS, y },
    width,
    height: compact ? TOP + (rows - 1) * ROW + 66 : height,
    compact,
  };
}

const r = Math.round;
