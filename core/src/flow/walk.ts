import { stepKind } from '../steps/registry';
import type { StepPart } from '../steps/kind';
import type { StepDocument } from './document';

/** The flows inside a step. */
export function partsOf(step: StepDocument): readonly StepPart[] {
  return stepKind(step.kind).parts?.(step) ?? [];
}

/** Every step of a flow with its pointer, those inside others after them. */
export function walkFlow(
  flow: readonly StepDocument[],
  visit: (step: StepDocument, at: string, off: boolean) => void,
  pointer = '',
  off = false,
): void {
  flow.forEach((step, i) => {
    const at = `${pointer}/${i}`;
    const away = off || (step.off ?? false);
    visit(step, at, away);
    for (const part of partsOf(step)) walkFlow(part.flow, visit, at + part.pointer, away);
  });
}
