import { stepAt, type Finding, type StepDocument } from '@hinge/core';

const emptySet: ReadonlySet<string> = new Set();

/** Which pin of the operation a finding is about: the innermost step that its pointer names. */
export function pinOf(f: Finding, operationId: string): string | undefined {
  const root = `/operations/${operationId}/flow`;
  const pointer = f.place.pointer ?? '';
  if (!pointer.startsWith(`${root}/`)) return undefined;
  const m = /^(?:\/\d+\/(?:(?:lines|failures)\/\d+\/flow|otherwise|flow)(?=\/\d+))*\/\d+/.exec(
    pointer.slice(root.length),
  );
  return m?.[0];
}

export function fieldOf(f: Finding, flow: readonly StepDocument[], operationId: string): string | undefined {
  const pin = pinOf(f, operationId);
  const step = pin === undefined ? undefined : stepAt(flow, pin);
  const m = /\/fields\/(\d+)\//.exec(f.place.pointer ?? '');
  return m && step?.kind === 'map' ? step.fields?.[Number(m[1])]?.to : undefined;
}

export function faultyFields(own: readonly Finding[], step: StepDocument | undefined): ReadonlySet<string> {
  if (step?.kind !== 'map') return emptySet;
  const out = new Set<string>();
  for (const f of own) {
    if (f.severity === 'info') continue;
    const m = /\/fields\/(\d+)\//.exec(f.place.pointer ?? '');
    const to = m && step.fields?.[Number(m[1])]?.to;
    if (to) out.add(to);
  }
  return out;
}
