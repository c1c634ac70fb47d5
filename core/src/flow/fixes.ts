import type { Finding } from '../problem';
import { pointerParts } from '../schema';
import { insertSteps, removeSteps, replaceStep, stepAt } from './edit';
import type { FlowDocument, StepDocument } from './document';

/** What one click does about a finding: words for the button, and the document then. */
export interface Fix {
  readonly words: string;
  readonly document: FlowDocument;
}

/** The fix of a finding, where there is one that loses nothing a person would miss. */
export function fixOf(f: Finding, document: FlowDocument): Fix | undefined {
  const pointer = f.place.pointer ?? '';
  const inCase = /^\/cases\/(\d+)\/request\/(path|query)\/(.+)$/.exec(pointer);
  if (f.code === 'HNG-322' && inCase)
    return dropCaseValue(document, Number(inCase[1]), inCase[2] as 'path' | 'query', inCase[3]!);
  const m = /^\/operations\/([^/]+)(\/.*)?$/.exec(pointer);
  const operation = m && document.operations[m[1]!];
  if (!operation) return undefined;
  const id = m[1]!;
  const put = (next: Partial<typeof operation>): FlowDocument => ({
    ...document,
    operations: { ...document.operations, [id]: { ...operation, ...next } },
  });
  const rest = m[2] ?? '';
  if (f.code === 'HNG-307' && rest === '/reply/mediaType')
    return {
      words: 'say application/json',
      document: put({ reply: { ...operation.reply, mediaType: 'application/json' } }),
    };
  if (f.code === 'HNG-308')
    return {
      words: 'end with a map to the reply',
      document: put({ flow: [...operation.flow, { kind: 'map', to: 'reply', fields: [] }] }),
    };
  const at = /^\/flow((?:\/\d+\/(?:(?:lines|failures)\/\d+\/flow|otherwise|flow)(?=\/\d+))*\/\d+)/.exec(rest)?.[1];
  const step = at === undefined ? undefined : stepAt(operation.flow, at);
  if (at === undefined || !step) return undefined;
  const tail = rest.slice('/flow'.length + at.length);
  const change = (next: StepDocument) => put({ flow: replaceStep(operation.flow, at, next) });
  switch (f.code) {
    case 'HNG-307':
      return step.kind === 'reply'
        ? { words: 'say application/json', document: change({ ...step, mediaType: 'application/json' }) }
        : undefined;
    case 'HNG-309':
      return step.kind === 'map' ? dropField(step, tail, change) : undefined;
    case 'HNG-315':
      return unreachable(step, tail, change, () => put({ flow: removeSteps(operation.flow, at) }));
    case 'HNG-319':
      return step.kind === 'remember'
        ? { words: 'tell requests apart by their body', document: change({ ...step, key: ['path', 'query', 'body'] }) }
        : undefined;
    case 'HNG-320':
      return step.kind === 'call'
        ? { words: 'take the retry away', document: change({ ...step, retry: undefined }) }
        : undefined;
    case 'HNG-327': {
      if (step.kind !== 'call' || step.operation === undefined) return undefined;
      const to = { ...(step.backend !== undefined && { backend: step.backend }), operation: step.operation };
      return {
        words: 'put its map in front',
        document: put({ flow: insertSteps(operation.flow, at, [{ kind: 'map', to, fields: [] }]) }),
      };
    }
    default:
      return undefined;
  }
}

function dropCaseValue(document: FlowDocument, i: number, member: 'path' | 'query', name: string): Fix | undefined {
  const c = document.cases?.[i];
  const values = c?.request[member];
  if (!c || !values) return undefined;
  const key = pointerParts(`/${name}`)[0]!;
  const kept = Object.fromEntries(Object.entries(values).filter(([k]) => k !== key));
  const next = { ...c, request: { ...c.request, [member]: kept } };
  return {
    words: 'take the value away',
    document: { ...document, cases: document.cases!.map((x) => (x === c ? next : x)) },
  };
}

type MapStep = Extract<StepDocument, { kind: 'map' }>;

function dropField(step: MapStep, tail: string, change: (s: StepDocument) => FlowDocument): Fix | undefined {
  const n = /^\/fields\/(\d+)\//.exec(tail)?.[1];
  return n === undefined
    ? undefined
    : {
        words: 'take the field away',
        document: change({ ...step, fields: step.fields?.filter((_f, i) => i !== Number(n)) }),
      };
}

/** A line or a row that never comes to its turn, or a whole step behind the end. */
function unreachable(
  step: StepDocument,
  tail: string,
  change: (s: StepDocument) => FlowDocument,
  remove: () => FlowDocument,
): Fix | undefined {
  const m = /^\/(lines|routes)\/(\d+)$/.exec(tail);
  if (tail === '') return { words: 'remove the step', document: remove() };
  if (!m) return undefined;
  const n = Number(m[2]);
  if (step.kind === 'choose' && m[1] === 'lines' && step.lines.length > 1)
    return { words: 'remove the line', document: change({ ...step, lines: step.lines.filter((_l, i) => i !== n) }) };
  if (step.kind === 'call' && m[1] === 'routes')
    return { words: 'remove the row', document: change({ ...step, routes: step.routes?.filter((_r, i) => i !== n) }) };
  return undefined;
}
