import { walkFlow } from './walk';
import type { FlowDocument, StepDocument } from './document';

/** Names that steps of a flow set, with the pointer of the step in the flow. */
interface SetName {
  readonly name: string;
  readonly at: string;
}

interface FlowNames {
  readonly vars: ReadonlySet<string>;
  readonly steps: readonly SetName[];
  /** Other flows of the same API run inside of this one: they read what it has set, and it reads what they have. */
  readonly callsInside: boolean;
}

const known = new WeakMap<readonly StepDocument[], FlowNames>();

function namesOf(flow: readonly StepDocument[]): FlowNames {
  const before = known.get(flow);
  if (before) return before;
  const vars = new Set<string>();
  const steps: SetName[] = [];
  let callsInside = false;
  walkFlow(flow, (step, at, off) => {
    if (off) return;
    if (step.name !== undefined) steps.push({ name: step.name, at });
    callsInside ||= step.kind === 'call' && step.backend === undefined && step.api === undefined;
    if (step.kind === 'set') for (const name of Object.keys(step.values)) vars.add(name);
    else if (step.kind === 'each') vars.add(step.as ?? 'item').add('index');
    else if (step.kind === 'attempt') vars.add('failure');
    else if (step.kind === 'gather')
      step.lines.forEach((line, i) => steps.push({ name: line.name, at: `${at}/lines/${i}` }));
  });
  const names = { vars, steps, callsInside };
  known.set(flow, names);
  return names;
}

export interface NamesInReach {
  /** Read as vars.NAME. */
  readonly vars: ReadonlySet<string>;
  /** Read as steps.NAME: steps that come before. */
  readonly steps: ReadonlySet<string>;
  /** Steps of that name come later, or are going on. */
  readonly later: ReadonlySet<string>;
}

/** What can have been set when the step at `at` of an operation's flow runs, or a step of a door (`at` begins with /doors). */
export function namesInReach(document: FlowDocument, operationId: string, at: string): NamesInReach {
  const ofDoors = document.doors.map((d) => ({ before: namesOf(d.before ?? []), after: namesOf(d.after ?? []) }));
  const own = document.operations[operationId];
  const every = Object.values(document.operations).map((o) => namesOf(o.flow));
  const shared = every.some((n) => n.callsInside);
  const flows = own && !shared ? [namesOf(own.flow)] : every;
  const all = [...ofDoors.flatMap((d) => [d.before, d.after]), ...flows];
  const vars = new Set(all.flatMap((n) => [...n.vars]));
  const steps = new Set(['request', ...ofDoors.flatMap((d) => d.before.steps.map((s) => s.name))]);
  const later = new Set<string>();
  for (const s of flows.flatMap((f) => f.steps)) (own && !shared && !comesBefore(s.at, at) ? later : steps).add(s.name);
  if (!own) for (const s of ofDoors.flatMap((d) => d.after.steps)) steps.add(s.name);
  for (const name of steps) later.delete(name);
  return { vars, steps, later };
}

/** The step at `a` has ended when the one at `b` begins: it stands in front, and not around it. Pointers of one flow. */
export function comesBefore(a: string, b: string): boolean {
  if (b === a || b.startsWith(`${a}/`)) return false;
  const [x, y] = [a.split('/'), b.split('/')];
  const n = x.findIndex((part, i) => part !== y[i]);
  const [p, q] = [x[n], y[n]];
  if (p === undefined || q === undefined) return q !== undefined;
  // Two flows of one step: what it tries comes before what it does instead.
  return /^\d+$/.test(p) && /^\d+$/.test(q) ? Number(p) < Number(q) : p === 'flow' || p < q;
}

/** Names that two steps of one flow have which can both run; the second of each with the pointer of the first. */
export function namesGivenTwice(flow: readonly StepDocument[]): { name: string; at: string; first: string }[] {
  const out: { name: string; at: string; first: string }[] = [];
  const seen = new Map<string, string[]>();
  for (const { name, at } of namesOf(flow).steps) {
    const others = seen.get(name) ?? [];
    // Lines of one gather are seen to by the step.
    const first = others.find((o) => !isSibling(o, at) && !excludes(flow, o, at));
    if (first !== undefined) out.push({ name, at, first });
    seen.set(name, [...others, at]);
  }
  return out;
}

const isSibling = (a: string, b: string): boolean => {
  const parent = (p: string) => /^(.*\/lines)\/\d+$/.exec(p)?.[1];
  return parent(a) !== undefined && parent(a) === parent(b);
};

/** Of lines of a choose one alone runs, and what an attempt does instead goes by the names of what it tried. */
function excludes(flow: readonly StepDocument[], a: string, b: string): boolean {
  let exclusive = false;
  walkFlow(flow, (step, at) => {
    if ((step.kind !== 'choose' && step.kind !== 'attempt') || !a.startsWith(`${at}/`) || !b.startsWith(`${at}/`))
      return;
    const line = (p: string) => /^\/(lines\/\d+|failures\/\d+|otherwise|flow)/.exec(p.slice(at.length))?.[1];
    if (line(a) !== line(b)) exclusive = true;
  });
  return exclusive;
}
