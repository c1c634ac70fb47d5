import { writeJson } from '../codec/json';
import { isJson } from '../message/headers';
import { isNumber } from '../message/digits';
import type { ShownMessage } from '../message/message';
import { finding, type Finding } from '../problem';
import { planNamed } from '../guards/compile';
import { pointerParts } from '../schema';
import { expressionMatcher } from '../pattern';
import type { CompiledApi } from './compile';
import { walkFlow } from './context';
import type { CaseDocument, FlowDocument } from './document';
import type { Ports } from './ports';
import { incomingOf, rehearse, type Rehearsal } from './rehearse';
import { stubbed } from './stubs';

/** One thing that is not as the case wants it. */
export interface Misfit {
  /** Pointer into the body, "status", "header NAME" or "step AT". */
  readonly at: string;
  readonly wanted: string;
  readonly found: string;
}

export interface CaseResult {
  readonly name: string;
  readonly operation: string;
  readonly passed: boolean;
  readonly status: number;
  readonly ms: number;
  readonly misfits: readonly Misfit[];
  /** Set when it could not be run at all. */
  readonly failure?: string;
  /** Pointers of the steps that ran, and of the lines that were taken. */
  readonly reached: readonly string[];
}

export interface CaseWorld {
  readonly ports: Ports;
  readonly environment?: string;
  readonly env?: Readonly<Record<string, unknown>>;
  readonly apis?: (name: string) => CompiledApi | undefined;
}

/** Runs a case: its request by its door, stubs in place of backends. */
export async function rehearseCase(api: CompiledApi, c: CaseDocument, world: CaseWorld): Promise<Rehearsal> {
  const { document } = api;
  const door = c.door === undefined ? document.doors[0] : document.doors.find((d) => d.name === c.door);
  const operation =
    (door && api.operations.get(door.name)?.find((o) => o.id === c.operation)) ?? api.inside.get(c.operation);
  if (!operation) throw new Error(`the document has no operation ${c.operation}`);
  const { app } = c;
  return rehearse(operation, incomingOf(operation, door?.path ?? '/', c.request), {
    ports: { ...world.ports, backends: stubbed(document, c.stubs ?? [], world.ports.backends) },
    environment: world.environment,
    env: world.env ?? {},
    traceId: '0'.repeat(31) + '1',
    outbound: {},
    apis: world.apis,
    ...(app && {
      identity: {
        app: { id: app.id, name: app.name ?? app.id },
        ...(app.plan !== undefined && { plan: planOf(document, app.plan, app.values) }),
      },
    }),
  });
}

/** The plan that a case plays: what it says itself, else what the document has. */
function planOf(document: FlowDocument, name: string, values: Readonly<Record<string, unknown>> | undefined) {
  const id = planNamed(document, name);
  const plan = id === undefined ? undefined : document.plans?.[id];
  return { name: plan?.name ?? name, values: values ?? plan?.values };
}

/** Runs cases one after the other and tells of each as it ends. What fails is a result, never a throw. */
export async function runCases(
  api: CompiledApi,
  cases: readonly CaseDocument[],
  world: CaseWorld,
  told: (result: CaseResult, n: number) => void = () => undefined,
): Promise<CaseResult[]> {
  const out: CaseResult[] = [];
  for (const c of cases) {
    let result: CaseResult;
    try {
      const r = await rehearseCase(api, c, world);
      const misfits = judgeCase(c, r);
      result = {
        name: c.name,
        operation: c.operation,
        passed: misfits.length === 0,
        status: r.reply.status,
        ms: r.ms,
        misfits,
        reached: reachedBy(r),
      };
    } catch (error) {
      const failure = (error as Error).message;
      result = {
        name: c.name,
        operation: c.operation,
        passed: false,
        status: 0,
        ms: 0,
        misfits: [],
        failure,
        reached: [],
      };
    }
    out.push(result);
    told(result, out.length);
  }
  return out;
}

function reachedBy(r: Rehearsal): string[] {
  return r.steps.flatMap((s) => {
    if (!s.taken) return [];
    const taken = s.notes?.taken;
    return typeof taken === 'string' ? [s.at, s.at + taken] : [s.at];
  });
}

/** Lines of choose and attempt steps that none of these cases took. */
export function unreachedLines(
  document: FlowDocument,
  results: readonly CaseResult[],
): { operation: string; at: string; name: string }[] {
  const out: { operation: string; at: string; name: string }[] = [];
  for (const [id, operation] of Object.entries(document.operations)) {
    const own = results.filter((r) => r.operation === id);
    const reached = new Set(own.flatMap((r) => r.reached));
    walkFlow(operation.flow, (step, at, off) => {
      if (off) return;
      if (step.kind === 'choose') {
        step.lines.forEach((line, i) => {
          const pointer = `${at}/lines/${i}/flow`;
          if (!reached.has(pointer)) out.push({ operation: id, at: pointer, name: line.name ?? `line ${i + 1}` });
        });
        if (!reached.has(`${at}/otherwise`)) out.push({ operation: id, at: `${at}/otherwise`, name: 'otherwise' });
      } else if (step.kind === 'attempt')
        step.failures.forEach((f, i) => {
          const pointer = `${at}/failures/${i}/flow`;
          if (!reached.has(pointer)) out.push({ operation: id, at: pointer, name: `on ${f.on.join(', ')}` });
        });
    });
  }
  return out;
}

/** The same as findings, HNG-316. */
export function unreachedFindings(document: FlowDocument, results: readonly CaseResult[]): Finding[] {
  return unreachedLines(document, results).map((l) =>
    finding('HNG-316', `no case reaches the line "${l.name}" of ${l.operation}`, {
      pointer: `/operations/${l.operation}/flow${l.at}`,
    }),
  );
}

/** Holds a rehearsal against what its case wants. A case that wants nothing wants no failure of the gateway (5xx). */
export function judgeCase(c: CaseDocument, r: Rehearsal): Misfit[] {
  const out: Misfit[] = [];
  const { expect } = c;
  const status = r.reply.status;
  if (expect?.status !== undefined) {
    if (status !== expect.status) out.push({ at: 'status', wanted: String(expect.status), found: String(status) });
  } else if (!expect && status >= 500) out.push({ at: 'status', wanted: 'no failure', found: String(status) });
  for (const [name, wanted] of Object.entries(expect?.headers ?? {})) {
    const found = r.reply.headers[name.toLowerCase()];
    if (found !== wanted) out.push({ at: `header ${name}`, wanted, found: found ?? 'nothing' });
  }
  const body = valueOfReply(r.reply);
  if (expect && 'body' in expect && expect.body !== undefined)
    compare(expect.body, body, '', (expect.ignore ?? []).map(pointerParts), out);
  for (const part of expect?.parts ?? []) {
    const found = at(body, pointerParts(part.at));
    const exists = found !== undefined;
    if (part.exists !== undefined && exists !== part.exists)
      out.push({ at: part.at, wanted: part.exists ? 'to be there' : 'not to be there', found: shown(found) });
    if (part.is !== undefined) compare(part.is, found, part.at, [], out);
    if (part.matches !== undefined && !(exists && expressionMatcher(part.matches)?.(text(found)) === 'match'))
      out.push({ at: part.at, wanted: `to match ${part.matches}`, found: shown(found) });
  }
  for (const s of expect?.steps ?? []) {
    const taken = r.steps.some((x) => x.at === s.at && x.taken);
    if (taken !== s.taken)
      out.push({
        at: `step ${s.at}`,
        wanted: s.taken ? 'to run' : 'not to run',
        found: taken ? 'it ran' : 'it did not',
      });
  }
  return out.slice(0, 100);
}

function valueOfReply(reply: ShownMessage): unknown {
  return isJson(reply.mediaType) ? reply.body : reply.text;
}

function at(value: unknown, parts: readonly string[]): unknown {
  let v = value;
  for (const p of parts)
    v = v !== null && typeof v === 'object' && !isNumber(v) ? (v as Record<string, unknown>)[p] : undefined;
  return v;
}

const text = (v: unknown): string => (typeof v === 'string' ? v : writeJson(v));
const shown = (v: unknown): string => {
  if (v === undefined) return 'nothing';
  const t = text(v);
  return t.length > 200 ? `${t.slice(0, 197)}…` : t;
};

/** Deep comparison; every difference by its own pointer. Digits count by their value's text. */
function compare(
  wanted: unknown,
  found: unknown,
  pointer: string,
  ignore: readonly (readonly string[])[],
  out: Misfit[],
): void {
  if (out.length > 100 || ignored(pointer, ignore)) return;
  if (isNumber(wanted) && isNumber(found)) {
    if (Number(wanted) !== Number(found)) out.push({ at: pointer || '/', wanted: shown(wanted), found: shown(found) });
    return;
  }
  const both = isObject(wanted) && isObject(found);
  if (Array.isArray(wanted) && Array.isArray(found)) {
    for (let i = 0; i < Math.max(wanted.length, found.length); i++)
      compare(wanted[i], found[i], `${pointer}/${i}`, ignore, out);
  } else if (both) {
    for (const key of new Set([...Object.keys(wanted), ...Object.keys(found)]))
      compare(wanted[key], found[key], `${pointer}/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`, ignore, out);
  } else if (wanted !== found) out.push({ at: pointer || '/', wanted: shown(wanted), found: shown(found) });
}

const isObject = (v: unknown): v is Record<string, unknown> =>
  v !== null && typeof v === 'object' && !Array.isArray(v) && !isNumber(v);

function ignored(pointer: string, ignore: readonly (readonly string[])[]): boolean {
  const parts = pointerParts(pointer);
  return ignore.some((p) => p.length === parts.length && p.every((x, i) => x === '*' || x === parts[i]));
}
