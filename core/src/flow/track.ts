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

export interface Track {
  readonly pins: readonly TrackPin[];
  readonly line: { readonly from: number; readonly to: number; readonly y: number };
  readonly width: number;
  readonly height: number;
}

/** Room that the ends need for their words, and the least between two pins; beyond it the track scrolls. */
const ENDS = 160;
const LEAST_GAP = 104;
const MOST_GAP = 220;

/** Lays a flow out left to right. Pure: the same flow and width give the same picture. */
export function layoutTrack(flow: readonly StepDocument[], availableWidth: number, height = 144): Track {
  const n = flow.length;
  const room = Math.max(0, availableWidth - 2 * ENDS);
  const gap = n === 0 ? room : Math.min(MOST_GAP, Math.max(LEAST_GAP, room / (n + 1)));
  const width = Math.max(availableWidth, 2 * ENDS + gap * (n + 1));
  const y = Math.round(height * 0.43);
  // Few pins stand together in the middle, so that the eye need not travel.
  const first = n === 0 ? 0 : (width - gap * (n - 1)) / 2;
  const pins = flow.map((step, i): TrackPin => {
    const kind = stepKind(step.kind);
    return {
      at: `/${i}`,
      kind: step.kind,
      name: step.name ?? step.kind,
      label: kind.label(step),
      off: step.off ?? false,
      x: Math.round(first + i * gap),
      y,
    };
  });
  return { pins, line: { from: ENDS, to: width - ENDS, y }, width, height };
}
