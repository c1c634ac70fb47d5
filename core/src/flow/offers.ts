import { compileExpression, expressionTree, type Node } from '../expression';
import { isNumber } from '../message/digits';
import { conditionWords, type Condition, type ConditionRow, type Operator } from '../steps/condition';
import { partsOf, walkFlow } from './context';
import type { CaseDocument, FlowDocument, StepDocument } from './document';
import { placeOfStep, seriesAt, stepAt } from './edit';
import { firstCase } from './operations';
import type { ShownStep } from './rehearse';

/** Cases that the studio offers: for a line that none reaches, and with what backends answered once. Pure. */

type Stub = NonNullable<CaseDocument['stubs']>[number];
type Flow = readonly StepDocument[];

const FAILURES: Readonly<Record<string, Stub['failure']>> = {
  'HNG-502': 'unreachable',
  'HNG-503': 'timeout',
  'HNG-504': 'unreadable',
};

/** What backends answered in a rehearsal or a trace, as stubs: text, status and content type as they came; or that none came. */
export function recordedStubs(document: FlowDocument, operationId: string, steps: readonly ShownStep[]): Stub[] {
  const out: Stub[] = [];
  walkFlow(document.operations[operationId]?.flow ?? [], (step, at) => {
    if (step.kind !== 'call' || step.backend === undefined) return;
    const seen = steps.find((s) => s.at === at);
    if (!seen?.taken) return;
    const who = { backend: step.backend, ...(step.operation !== undefined && { operation: step.operation }) };
    const failure = seen.error && FAILURES[seen.error.code];
    if (failure && seen.after?.status === undefined) out.push({ ...who, failure });
    const { after } = seen;
    if (after?.status === undefined || after.cut || (after.text === undefined && after.bytes > 0)) return;
    const type = after.headers['content-type'];
    out.push({
      ...who,
      status: after.status,
      ...(type !== undefined && { headers: { 'content-type': type } }),
      ...(after.text !== undefined && { body: after.text }),
    });
  });
  return out;
}

export interface OfferedCase {
  readonly made: CaseDocument;
  /** Conditions that the request alone does not decide, in words. */
  readonly open: readonly string[];
}

/**
 * A case that takes a line (`/0/lines/1/flow`, `/0/otherwise`, `/2/failures/0/flow`): the request of `base`, changed so that the conditions of the line hold
 * and those before it do not, or a backend that fails as the line wants. Whether it does is for a rehearsal to say: the case demands it.
 */
export function caseForLine(
  document: FlowDocument,
  operationId: string,
  line: string,
  base: CaseDocument,
): OfferedCase {
  const flow: Flow = document.operations[operationId]?.flow ?? [];
  const made = structuredClone(base) as Writable;
  delete made.expect;
  made.operation = operationId;
  const open: string[] = [];
  // Lines around the step lead to it: they must be taken first.
  for (const { at, part } of linesAround(flow, line)) {
    const step = stepAt(flow, at)!;
    const before = { flow, at };
    if (step.kind === 'choose') {
      const own = /^\/lines\/(\d+)/.exec(part);
      const last = own ? Number(own[1]) : step.lines.length;
      step.lines.slice(0, last).forEach((l) => {
        if (!settle(made, before, l.when, false)) open.push(`not ${conditionWords(l.when)}`);
      });
      if (own && !settle(made, before, step.lines[last]!.when, true)) open.push(conditionWords(step.lines[last]!.when));
    } else if (step.kind === 'attempt' && part.startsWith('/failures')) {
      const entry = step.failures[Number(part.split('/')[2])]!;
      const stub = failing(step.flow, entry.on);
      if (stub)
        made.stubs = [
          stub,
          ...(made.stubs ?? []).filter((s) => s.backend !== stub.backend || s.operation !== stub.operation),
        ];
      else open.push(`a failure: ${entry.on.join(' or ')}`);
      if (entry.when) open.push(conditionWords(entry.when));
    }
  }
  const { at } = linesAround(flow, line).at(-1) ?? { at: '' };
  const names = new Set((document.cases ?? []).filter((c) => c.operation === operationId).map((c) => c.name));
  const wanted = nameOf(stepAt(flow, at), line.slice(at.length));
  made.name = wanted;
  for (let n = 2; names.has(made.name); n++) made.name = `${wanted} ${n}`;
  if (open.length) made.note = `Still to be arranged: ${open.join('; ')}`;
  else delete made.note;
  if (seriesAt(flow, line)?.length) made.expect = { steps: [{ at: `${line}/0`, taken: true }] };
  return { made, open };
}

type Writable = { -readonly [K in keyof CaseDocument]: CaseDocument[K] };

function nameOf(step: StepDocument | undefined, part: string): string {
  const n = Number(/\/(\d+)/.exec(part)?.[1] ?? 0);
  if (step?.kind === 'choose') {
    const line = part.startsWith('/lines') ? step.lines[n] : undefined;
    const words = line ? (line.name ?? conditionWords(line.when)) : `otherwise${step.name ? ` of ${step.name}` : ''}`;
    return words.slice(0, 80);
  }
  if (step?.kind === 'attempt') return `when it fails: ${step.failures[n]?.on.join(', ') ?? ''}`.slice(0, 80);
  return 'new case';
}

/** The steps around a line with the part of each that leads on, outermost first. */
function linesAround(flow: Flow, line: string): { at: string; part: string }[] {
  const out: { at: string; part: string }[] = [];
  let series = flow;
  let done = '';
  for (;;) {
    const index = /^\/(\d+)/.exec(line.slice(done.length))?.[0];
    if (index === undefined) return out;
    const at = done + index;
    const step = series[Number(index.slice(1))];
    if (!step) return out;
    const rest = line.slice(at.length);
    const part = partsOf(step).find((p) => rest === p.pointer || rest.startsWith(`${p.pointer}/`));
    const own = part?.pointer ?? rest;
    if (!own) return out;
    out.push({ at, part: own });
    if (!part) return out;
    done = at + part.pointer;
    series = part.flow;
  }
}

/** A stub that makes the first call of a flow fail in one of these ways. */
function failing(flow: Flow, on: readonly string[]): Stub | undefined {
  const calls: Extract<StepDocument, { kind: 'call' }>[] = [];
  walkFlow(flow, (s, _at, off) => void (!off && s.kind === 'call' && s.backend !== undefined && calls.push(s)));
  const [call] = calls;
  if (!call) return undefined;
  const who = { backend: call.backend!, ...(call.operation !== undefined && { operation: call.operation }) };
  const kind = on[0] === 'any' ? 'unreachable' : on[0]!;
  if (kind === 'timeout' || kind === 'unreachable' || kind === 'unreadable') return { ...who, failure: kind };
  if (kind === 'fault') return { ...who, fault: { reason: 'refused' } };
  // Without a contract a reply of any status goes through: only a missing one is a failure, seen as 502, 503 or 504.
  if (/^5/.test(kind) && call.operation === undefined)
    return { ...who, failure: kind === '504' ? 'timeout' : kind === '502' ? 'unreadable' : 'unreachable' };
  if (/^[45]/.test(kind)) return { ...who, status: Number(kind.replace('XX', '03')), body: 'refused' };
  return { ...who, fault: { name: kind, reason: kind } };
}

interface Before {
  readonly flow: Flow;
  readonly at: string;
}

/** Changes the request so that a condition holds, or does not. False when that lies beyond the request. */
function settle(made: Writable, before: Before, condition: Condition, holds: boolean): boolean {
  const rows = Array.isArray(condition) ? condition : [condition];
  const parts = rows.map((r) => (typeof r === 'string' ? rowsOf(r) : [r]));
  if (holds) return parts.every((row) => row?.every((r) => arrange(made, before, r, true)) ?? false);
  // One that does not hold is enough.
  return parts.some((row) => row?.some((r) => arrange(made, before, r, false)) ?? false);
}

const COMPARISONS: Readonly<Record<string, Operator>> = {
  '=': 'equals',
  '!=': 'differs',
  '<': 'lessThan',
  '<=': 'atMost',
  '>': 'moreThan',
  '>=': 'atLeast',
};

/** An expression as rows: comparisons of a path with a literal, joined by and. Undefined for any other. */
function rowsOf(text: string): ConditionRow[] | undefined {
  let ast: Node;
  try {
    ast = expressionTree(text);
  } catch {
    return undefined;
  }
  const walk = (n: Node): ConditionRow[] | undefined => {
    if (n.type === 'block' && n.expressions?.length === 1) return walk(n.expressions[0]!);
    if (n.type === 'function' && (n.procedure?.value === 'exists' || n.procedure?.value === 'not')) {
      const inner = n.arguments?.[0];
      const path = inner && pathText(inner);
      if (n.procedure.value === 'exists') return path ? [{ of: path, is: 'exists' }] : undefined;
      const [row, ...more] = (inner && walk(inner)) ?? [];
      return row?.is === 'exists' && !more.length ? [{ of: row.of, is: 'missing' }] : undefined;
    }
    if (n.type !== 'binary') return pathText(n) ? [{ of: pathText(n)!, is: 'equals', value: true }] : undefined;
    const [left, right] = [n.lhs as Node, n.rhs!];
    if (n.value === 'and') {
      const both = [walk(left), walk(right)];
      return both[0] && both[1] ? [...both[0], ...both[1]] : undefined;
    }
    const path = pathText(left);
    if (n.value === 'in' && path && right.type === 'unary' && right.expressions?.every(isLiteral))
      return [{ of: path, is: 'oneOf', value: right.expressions.map((e) => e.value) }];
    const is = COMPARISONS[String(n.value)];
    return is && path && isLiteral(right) ? [{ of: path, is, value: right.value }] : undefined;
  };
  return walk(ast);
}

const isLiteral = (n: Node): boolean => n.type === 'string' || n.type === 'number' || n.type === 'value';

function pathText(n: Node): string | undefined {
  if (n.type !== 'path' || !n.steps?.every((s) => s.type === 'name')) return undefined;
  return n.steps.map((s) => `\`${String(s.value)}\``).join('.');
}

/** Puts one row right by the place that its value comes from. */
function arrange(made: Writable, before: Before, row: ConditionRow, holds: boolean, depth = 5): boolean {
  let path: readonly string[] | undefined;
  try {
    path = compileExpression(row.of).path;
  } catch {
    return false;
  }
  if (!path || path.length < 2) return false;
  const [root, ...names] = path;
  if (root === 'vars' && names.length === 1) {
    const source = variable(before, names[0]!);
    return source !== undefined && depth > 0 && arrange(made, before, { ...row, of: source }, holds, depth - 1);
  }
  const request = { ...made.request } as Record<string, unknown>;
  if (root === 'query' || root === 'headers' || root === 'path') {
    if (names.length !== 1) return false;
    const had = (request[root] ?? {}) as Record<string, unknown>;
    const key =
      root === 'headers'
        ? (Object.keys(had).find((k) => k.toLowerCase() === names[0]!.toLowerCase()) ?? names[0]!)
        : names[0]!;
    const value = valueFor(row, had[key], holds);
    const { [key]: _was, ...others } = had;
    if (value === GONE && root === 'path') return false;
    request[root] = value === GONE ? others : { ...others, [key]: root === 'headers' ? String(value) : value };
    made.request = request as CaseDocument['request'];
    return true;
  }
  if (root === 'body') {
    if (!isStillRequest(before)) return false;
    const body = request.body === null || typeof request.body !== 'object' ? {} : structuredClone(request.body);
    put(body as Record<string, unknown>, names, (had) => valueFor(row, had, holds));
    made.request = { ...made.request, body };
    return true;
  }
  if (root === 'plan' && names[0] === 'values' && names.length === 2) {
    const values = { ...made.app?.values };
    const value = valueFor(row, values[names[1]!], holds);
    if (value === GONE) delete values[names[1]!];
    else values[names[1]!] = value;
    made.app = { id: 'app', plan: 'plan', ...made.app, values };
    return true;
  }
  return false;
}

const GONE = Symbol('not there');

function put(node: Record<string, unknown>, names: readonly string[], value: (had: unknown) => unknown): void {
  const [name, ...rest] = names;
  if (!rest.length) {
    const next = value(node[name!]);
    if (next === GONE) delete node[name!];
    else node[name!] = next;
    return;
  }
  const inner = node[name!];
  if (inner === null || typeof inner !== 'object') node[name!] = {};
  put(node[name!] as Record<string, unknown>, rest, value);
}

/** A value that passes the row, or fails it, near to the one that is there. */
function valueFor(row: ConditionRow, had: unknown, holds: boolean): unknown {
  const { value } = row;
  const number = isNumber(value) ? Number(value) : undefined;
  const other = (v: unknown) => (isNumber(v) ? Number(v) + 1 : typeof v === 'boolean' ? !v : `${String(v ?? '')}x`);
  const first = Array.isArray(value) ? (value as unknown[])[0] : value;
  switch (row.is) {
    case 'exists':
      return holds ? (had ?? '1') : GONE;
    case 'missing':
      return holds ? GONE : (had ?? '1');
    case 'differs':
      return holds ? other(value) : value;
    case 'lessThan':
      return number === undefined ? (holds ? '' : value) : holds ? number - 1 : number;
    case 'atMost':
      return number === undefined ? (holds ? value : other(value)) : holds ? number : number + 1;
    case 'moreThan':
      return number === undefined ? (holds ? other(value) : value) : holds ? number + 1 : number;
    case 'atLeast':
      return number === undefined ? (holds ? value : '') : holds ? number : number - 1;
    case 'matches':
      return holds ? (had ?? value) : GONE;
    default:
      // equals, oneOf, contains, begins, ends. Without the value none of them holds.
      return holds ? first : typeof first === 'string' && had !== undefined && had !== first ? had : other(first);
  }
}

/** Until a step makes another message, body is what the caller sent. */
function isStillRequest({ flow, at }: Before): boolean {
  return earlier(flow, at).every((s) => s.kind === 'set' || s.kind === 'check' || s.kind === 'choose');
}

function variable({ flow, at }: Before, name: string): string | undefined {
  for (const s of earlier(flow, at).reverse())
    if (s.kind === 'set' && s.values[name] !== undefined) return s.values[name];
  return undefined;
}

/** Steps that ran before one, in its own series and in those around it. */
function earlier(flow: Flow, at: string): StepDocument[] {
  const { series, index } = placeOfStep(at);
  const own = (seriesAt(flow, series) ?? []).slice(0, index).filter((s) => !s.off);
  const around = linesAround(flow, series).at(-1);
  return around ? [...earlier(flow, around.at), ...own] : own;
}

/** Cases for the examples that a contract gives: a request for each, and what must come back where a reply of the same name stands beside it. Those that are there already stay away. */
export function exampleCases(document: FlowDocument, operationId: string): CaseDocument[] {
  const operation = document.operations[operationId];
  if (!operation) return [];
  const had = new Set((document.cases ?? []).filter((c) => c.operation === operationId).map((c) => c.name));
  const start = firstCase(operationId, operation);
  const replies = operation.reply?.examples ?? {};
  const expectOf = (name: string): Pick<CaseDocument, 'expect'> => {
    const e = replies[name];
    return e ? { expect: { status: e.status ?? operation.reply?.status ?? 200, body: e.value } } : {};
  };
  const requests = operation.request?.examples ?? {};
  const names = new Set([...Object.keys(requests), ...Object.keys(replies)]);
  return [...names]
    .filter((name) => !had.has(name))
    .map((name) => {
      const given = requests[name];
      const made: Writable = {
        ...start,
        name,
        request: { ...start.request, ...(given && { body: given.value }) },
        ...expectOf(name),
      };
      const when = replies[name]?.when;
      if (when !== undefined && !given && !settle(made, { flow: [], at: '/0' }, when, true))
        made.note = `Still to be arranged: ${conditionWords(when)}`;
      return made;
    });
}
