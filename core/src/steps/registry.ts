import type { StepDocument } from '../flow/document';
import { attemptKind } from './attempt/attempt';
import { callKind } from './call/call';
import { checkKind } from './check/check';
import { chooseKind } from './choose/choose';
import { convertKind } from './convert/convert';
import { eachKind } from './each/each';
import { gatherKind } from './gather/gather';
import type { StepKind } from './kind';
import { mapKind } from './map/map';
import { publishKind } from './publish/publish';
import { rememberKind } from './remember/remember';
import { replyKind } from './reply/reply';
import { setKind } from './set/set';

/** Every step kind has an entry: a kind without one does not compile. */
const KINDS: { readonly [K in StepDocument['kind']]: StepKind<Extract<StepDocument, { kind: K }>> } = {
  map: mapKind,
  call: callKind,
  choose: chooseKind,
  gather: gatherKind,
  each: eachKind,
  attempt: attemptKind,
  remember: rememberKind,
  convert: convertKind,
  set: setKind,
  check: checkKind,
  publish: publishKind,
  reply: replyKind,
};

export function stepKind(kind: StepDocument['kind']): StepKind {
  return KINDS[kind] as unknown as StepKind;
}

export const STEP_KINDS: readonly StepKind[] = Object.values(KINDS) as unknown as StepKind[];
