import type { StepDocument } from '../flow/document';
import { callKind } from './call/call';
import { convertKind } from './convert/convert';
import type { StepKind } from './kind';
import { mapKind } from './map/map';
import { replyKind } from './reply/reply';
import { setKind } from './set/set';

/** Every step kind has an entry: a kind without one does not compile. */
const KINDS: { readonly [K in StepDocument['kind']]: StepKind<Extract<StepDocument, { kind: K }>> } = {
  map: mapKind,
  call: callKind,
  convert: convertKind,
  set: setKind,
  reply: replyKind,
};

export function stepKind(kind: StepDocument['kind']): StepKind {
  return KINDS[kind] as unknown as StepKind;
}

export const STEP_KINDS: readonly StepKind[] = Object.values(KINDS) as unknown as StepKind[];
