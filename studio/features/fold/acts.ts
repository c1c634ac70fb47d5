import {
  insertSteps,
  moveStep,
  placeOfStep,
  removeSteps,
  replaceStep,
  seriesAt,
  stepAt,
  unwrapStep,
  walkFlow,
  wrapSteps,
  type FlowDocument,
} from '@hinge/core';
import type { PinAct } from './pin-head';

/** Does something with whole steps of an operation's flow, `count` from one on: the document then, and the step to look at. */
export function actOn(
  document: FlowDocument,
  operationId: string,
  at: string,
  act: PinAct,
  count = 1,
): { document: FlowDocument; at: string } | undefined {
  const operation = document.operations[operationId];
  const step = operation && stepAt(operation.flow, at);
  if (!operation || !step) return undefined;
  const { flow } = operation;
  const { series, index } = placeOfStep(at);
  const chosen = (seriesAt(flow, series) ?? []).slice(index, index + count);
  const behind = index + chosen.length;
  const put = (next: typeof flow, where = at) => ({
    document: { ...document, operations: { ...document.operations, [operationId]: { ...operation, flow: next } } },
    at: where,
  });
  if (typeof act === 'object') return put(wrapSteps(flow, at, count, act.wrap));
  switch (act) {
    case 'off':
      return put(
        chosen.reduce(
          (f, s, n) => replaceStep(f, `${series}/${index + n}`, { ...s, off: step.off ? undefined : true }),
          [...flow],
        ),
      );
    case 'note':
      return put(replaceStep(flow, at, { ...step, note: step.note === undefined ? '' : undefined }));
    case 'copy':
      // Behind the ones that are copied: the eye goes to the first copy.
      return put(
        insertSteps(
          flow,
          `${series}/${behind}`,
          chosen.map((s) => ({ ...structuredClone(s), name: undefined })),
        ),
        `${series}/${behind}`,
      );
    case 'remove': {
      const left = (seriesAt(flow, series)?.length ?? 1) - chosen.length;
      const inner = series.slice(0, series.lastIndexOf('/'));
      return put(
        removeSteps(flow, at, chosen.length),
        left ? `${series}/${Math.min(index, left - 1)}` : parentOf(inner) || 'reply',
      );
    }
    case 'left': {
      if (index === 0) return undefined;
      return put(moveStep(flow, `${series}/${index - 1}`, `${series}/${behind}`).flow, `${series}/${index - 1}`);
    }
    case 'right': {
      if (behind >= (seriesAt(flow, series)?.length ?? 0)) return undefined;
      return put(moveStep(flow, `${series}/${behind}`, at).flow, `${series}/${index + 1}`);
    }
    case 'unwrap':
      return put(unwrapStep(flow, at));
    case 'pull': {
      const id = freeId(document, step.name ?? `${operationId} ${step.kind}`);
      const made: FlowDocument['operations'][string] = {
        method: 'POST',
        path: `/internal/${id}`,
        internal: true,
        summary: `Pulled out of ${operationId}`,
        flow: structuredClone(chosen) as typeof flow,
      };
      const next = put(
        insertSteps(removeSteps(flow, at, chosen.length), at, [
          { kind: 'call', operation: id, ...(step.name !== undefined && { name: step.name }) },
        ]),
      );
      return { ...next, document: { ...next.document, operations: { ...next.document.operations, [id]: made } } };
    }
  }
}

/** Backends that flows call have an entry each; contract and addresses are the studio's. */
export function withBackends(document: FlowDocument): FlowDocument {
  const backends = { ...document.backends };
  for (const o of Object.values(document.operations))
    walkFlow(o.flow, (step) => {
      const name =
        step.kind === 'call'
          ? step.backend
          : step.kind === 'map' && typeof step.to === 'object'
            ? step.to.backend
            : undefined;
      if (name !== undefined) backends[name] ??= {};
    });
  return { ...document, backends };
}

/** The step that holds a series, told by the series without its last part: /1/lines/0 → /1. */
const parentOf = (pointer: string): string =>
  /^(.*\/\d+)(?:\/(?:lines|failures)\/\d+|\/otherwise|\/flow)?$/.exec(pointer)?.[1] ?? '';

function freeId(document: FlowDocument, words: string): string {
  const base =
    words
      .replace(/[^A-Za-z0-9]+(.)?/g, (_m, c: string | undefined) => (c ?? '').toUpperCase())
      .replace(/^[^A-Za-z_]+/, '') || 'part';
  for (let n = 1; ; n++) {
    const id = n === 1 ? base : `${base}${n}`;
    if (!document.operations[id]) return id;
  }
}
