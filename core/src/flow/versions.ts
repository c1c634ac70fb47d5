import { diffArrays } from 'diff';
import { partsOf } from './context';
import type { FlowDocument, OperationDocument, StepDocument } from './document';

/** What lies between two versions of a document: operations, and their flows step by step. Pure. */

export type VersionChange = 'same' | 'changed' | 'added' | 'removed';

/** One step of either version; a changed one stands in both. */
export interface StepChange {
  readonly change: VersionChange;
  readonly kind: string;
  readonly depth: number;
  /** Words of the part of the step around it that it stands in, where it is the first of that part. */
  readonly part?: string;
  /** Pointers into the two flows. */
  readonly from?: string;
  readonly to?: string;
  /** The step itself without the steps inside it. */
  readonly before?: StepDocument;
  readonly after?: StepDocument;
}

export interface OperationChange {
  readonly id: string;
  readonly change: VersionChange;
  /** What callers see of it, guards and parameters: everything but the flow. */
  readonly shape: VersionChange;
  readonly before?: Omit<OperationDocument, 'flow'>;
  readonly after?: Omit<OperationDocument, 'flow'>;
  readonly steps: readonly StepChange[];
}

export interface DocumentChanges {
  readonly operations: readonly OperationChange[];
  /** Other parts of the document that differ, by their name in it: doors, guards, types … */
  readonly parts: readonly { readonly name: string; readonly before: unknown; readonly after: unknown }[];
}

type Flow = readonly StepDocument[];

export function compareDocuments(from: FlowDocument, to: FlowDocument): DocumentChanges {
  const ids = [...new Set([...Object.keys(from.operations), ...Object.keys(to.operations)])];
  const names = [...new Set([...Object.keys(from), ...Object.keys(to)])].filter(
    (n) => n !== 'operations' && n !== 'text' && n !== 'hinge',
  );
  const part = (d: FlowDocument, name: string) => d[name as keyof FlowDocument];
  return {
    operations: ids.map((id) => compareOperations(id, from.operations[id], to.operations[id])),
    parts: names
      .filter((name) => text(part(from, name)) !== text(part(to, name)))
      .map((name) => ({ name, before: part(from, name), after: part(to, name) })),
  };
}

function compareOperations(
  id: string,
  from: OperationDocument | undefined,
  to: OperationDocument | undefined,
): OperationChange {
  const shapeOf = (o: OperationDocument | undefined) => {
    if (!o) return undefined;
    const { flow: _flow, ...shape } = o;
    return shape;
  };
  const [before, after] = [shapeOf(from), shapeOf(to)];
  const steps = compareFlows(from?.flow ?? [], to?.flow ?? []);
  const shape: VersionChange = !from ? 'added' : !to ? 'removed' : text(before) === text(after) ? 'same' : 'changed';
  const change = shape !== 'same' ? shape : steps.some((s) => s.change !== 'same') ? 'changed' : 'same';
  return { id, change, shape, ...(before && { before }), ...(after && { after }), steps };
}

/** Steps in the order of the newer flow; what went stands where it stood. */
export function compareFlows(from: Flow, to: Flow): StepChange[] {
  return compareSeries(from, to, '', '', 0, undefined);
}

function compareSeries(
  from: Flow,
  to: Flow,
  fromAt: string,
  toAt: string,
  depth: number,
  part: string | undefined,
): StepChange[] {
  const out: StepChange[] = [];
  const first = () => (out.length || part === undefined ? {} : { part });
  for (const [a, b] of pairs(from, to)) {
    const before = a === undefined ? undefined : from[a]!;
    const after = b === undefined ? undefined : to[b]!;
    const step = (after ?? before)!;
    const own = { before: before && bare(before), after: after && bare(after) };
    const change: VersionChange = !before
      ? 'added'
      : !after
        ? 'removed'
        : text(own.before) === text(own.after)
          ? 'same'
          : 'changed';
    const at = {
      from: a === undefined ? undefined : `${fromAt}/${a}`,
      to: b === undefined ? undefined : `${toAt}/${b}`,
    };
    out.push({ change, kind: step.kind, depth, ...first(), ...defined({ ...at, ...own }) });
    const inside = before ? partsOf(before) : [];
    const within = after ? partsOf(after) : [];
    const used = new Set<number>();
    for (const [n, p] of within.entries()) {
      // Parts by their words, then by their place.
      let m = inside.findIndex((x, i) => !used.has(i) && x.name === p.name);
      if (m < 0 && inside[n] && !used.has(n) && !within.some((w) => w.name === inside[n]!.name)) m = n;
      if (m >= 0) used.add(m);
      const was = m < 0 ? undefined : inside[m];
      out.push(
        ...compareSeries(
          was?.flow ?? [],
          p.flow,
          `${at.from}${was?.pointer}`,
          `${at.to}${p.pointer}`,
          depth + 1,
          p.name,
        ),
      );
    }
    inside.forEach((p, i) => {
      if (!used.has(i)) out.push(...compareSeries(p.flow, [], `${at.from}${p.pointer}`, '', depth + 1, p.name));
    });
  }
  return out;
}

/** Places of the two series that are the same step: equal ones first, then, between them, those of one kind and name, then of one kind. */
function pairs(from: Flow, to: Flow): [number | undefined, number | undefined][] {
  const out: [number | undefined, number | undefined][] = [];
  let a = 0;
  let b = 0;
  let gone: number[] = [];
  let came: number[] = [];
  const settle = () => {
    out.push(...match(from, to, gone, came));
    gone = [];
    came = [];
  };
  for (const chunk of diffArrays(from.map(text), to.map(text))) {
    if (chunk.removed) for (const _ of chunk.value) gone.push(a++);
    else if (chunk.added) for (const _ of chunk.value) came.push(b++);
    else {
      settle();
      for (const _ of chunk.value) out.push([a++, b++]);
    }
  }
  settle();
  return out;
}

function match(
  from: Flow,
  to: Flow,
  gone: readonly number[],
  came: readonly number[],
): [number | undefined, number | undefined][] {
  const kind = (s: StepDocument) => s.kind;
  const named = (s: StepDocument) =>
    `${s.kind} ${s.name ?? ''} ${s.kind === 'call' ? `${s.backend} ${s.operation}` : ''}`;
  for (const key of [named, kind]) {
    const chunks = diffArrays(
      gone.map((i) => key(from[i]!)),
      came.map((i) => key(to[i]!)),
    );
    if (key === named && !chunks.some((c) => !c.added && !c.removed)) continue;
    const out: [number | undefined, number | undefined][] = [];
    let a = 0;
    let b = 0;
    let left: number[] = [];
    let right: number[] = [];
    const settle = () => {
      if (key === named && left.length && right.length) out.push(...match(from, to, left, right));
      else
        out.push(
          ...left.map((i): [number, undefined] => [i, undefined]),
          ...right.map((i): [undefined, number] => [undefined, i]),
        );
      left = [];
      right = [];
    };
    for (const c of chunks) {
      if (c.removed) for (const _ of c.value) left.push(gone[a++]!);
      else if (c.added) for (const _ of c.value) right.push(came[b++]!);
      else {
        settle();
        for (const _ of c.value) out.push([gone[a++], came[b++]]);
      }
    }
    settle();
    return out;
  }
  return [];
}

/** A step without the steps inside it. */
function bare(step: StepDocument): StepDocument {
  const inner = partsOf(step);
  if (!inner.length) return step;
  const copy = structuredClone(step) as unknown as Record<string, unknown>;
  for (const p of inner) {
    const keys = p.pointer.slice(1).split('/');
    const last = keys.pop()!;
    const owner = keys.reduce<Record<string, unknown>>((n, k) => n[k] as Record<string, unknown>, copy);
    delete owner[last];
  }
  return copy as unknown as StepDocument;
}

/** Equal texts for equal values, whatever the order of members. */
function text(value: unknown): string {
  return (
    JSON.stringify(value, (_key, v: unknown) =>
      v !== null && typeof v === 'object' && !Array.isArray(v)
        ? Object.fromEntries(Object.entries(v).sort(([a], [b]) => (a < b ? -1 : 1)))
        : v,
    ) ?? ''
  );
}

const defined = <T extends object>(o: T): Partial<T> =>
  Object.fromEntries(Object.entries(o).filter(([, v]) => v !== undefined)) as Partial<T>;
