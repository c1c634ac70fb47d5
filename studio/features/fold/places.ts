import {
  placeOfStep,
  seriesAt,
  stepAt,
  type Finding,
  type OperationDocument,
  type Rehearsal,
  type ShownMessage,
  type StepDocument,
  type StepTyping,
  type TypeRow,
} from '@hinge/core';

type Flow = readonly StepDocument[];
type Operation = OperationDocument;

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

/** Every message of a rehearsal by where it stands, for comparing any two. */
export function leavesOf(
  r: Rehearsal | undefined,
  flow: Flow,
  before: string,
): { words: string; message: ShownMessage }[] {
  if (!r) return [];
  return [
    { words: `${before}the request`, message: r.request },
    ...r.steps.flatMap((s, n) =>
      s.taken && s.after
        ? [{ words: `${before}after pin ${n + 1}, ${stepAt(flow, s.at)?.name ?? s.kind}`, message: s.after }]
        : [],
    ),
    { words: `${before}the reply`, message: r.reply },
  ];
}

/** Places of the steps that are chosen together: one series, from the selected one on. */
export function rangeOf(flow: Flow, selected: string, count: number): readonly string[] {
  if (!selected.startsWith('/')) return [];
  const { series, index } = placeOfStep(selected);
  const most = (seriesAt(flow, series)?.length ?? 0) - index;
  return Array.from({ length: Math.max(1, Math.min(count, most)) }, (_x, n) => `${series}/${index + n}`);
}

/** How many steps lie from one to another of the same series; one where they are not of the same. */
export function countTo(from: string, to: string): number {
  if (!from.startsWith('/') || !to.startsWith('/')) return 1;
  const [a, b] = [placeOfStep(from), placeOfStep(to)];
  return a.series === b.series && b.index > a.index ? b.index - a.index + 1 : 1;
}

/** Besides the message itself: the caller's parameters once the message is another one, and the environment's variables. */
export function reachRows(
  typing: StepTyping | undefined,
  operation: Operation,
  variables: readonly string[],
): TypeRow[] {
  const row = (pointer: string, words: string): TypeRow => ({
    pointer,
    name: pointer.slice(1).replace(/\//g, '.'),
    depth: 0,
    words,
    required: false,
    many: false,
    nullable: false,
    leaf: true,
  });
  const out: TypeRow[] = [];
  if (typing && typing.at !== '/0')
    for (const p of operation.parameters ?? [])
      if (p.in !== 'header') out.push(row(`/${p.in}/${p.name}`, 'of the request'));
  for (const v of variables) out.push(row(`/env/${v}`, 'of the environment'));
  return out;
}
