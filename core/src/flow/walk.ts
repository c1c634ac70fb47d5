import { stepKind } from '../steps/registry';
import type { StepPart } from '../steps/kind';
import { escapePointer } from '../schema';
import type { FlowDocument, StepDocument } from './document';

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

/** The flows of operations and of doors, each with its RFC 6901 pointer in the document. */
export function eachFlow(document: FlowDocument, visit: (flow: readonly StepDocument[], root: string) => void): void {
  for (const [id, o] of Object.entries(document.operations)) visit(o.flow, `/operations/${escapePointer(id)}/flow`);
  document.doors.forEach((d, i) => {
    visit(d.before ?? [], `/doors/${i}/before`);
    visit(d.after ?? [], `/doors/${i}/after`);
  });
}
