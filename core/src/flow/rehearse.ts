import { LIMITS } from '../limits';
import { writeJson } from '../codec/json';
import { isObject } from '../message/objects';
import { parameterForm, writeQuery, writeSimple } from '../codec/parameters';
import { Body } from '../message/body';
import type { Message, ShownMessage } from '../message/message';
import { showMessage } from '../message/show';
import { Refusal, type Code } from '../problem';
import type { CallContext, CompiledOperation, Incoming } from './compile';
import { walkFlow } from './context';
import { filledPath } from './incoming';
import type { ParameterDocument, SampleRequest } from './document';
import type { StepSeen } from './ports';

/** A step as a rehearsal or a trace tells it. Times in milliseconds. */
export interface ShownStep {
  readonly at: string;
  readonly kind: string;
  readonly name?: string;
  readonly ms: number;
  readonly startMs: number;
  readonly taken: boolean;
  readonly before: ShownMessage;
  readonly after?: ShownMessage;
  readonly error?: ShownError;
  readonly notes?: Readonly<Record<string, unknown>>;
  /** How often it ran, where that is more than once: inside of an each. The messages are those of the first time, or of the first failure. */
  readonly times?: number;
}

export interface ShownError {
  readonly code: Code;
  readonly status: number;
  readonly message: string;
  /** For designers: what really happened, inner addresses included. */
  readonly inner?: string;
  /** The guard that refused, and where it is set, in words. */
  readonly guard?: { readonly kind: string; readonly from: string };
}

export interface Rehearsal {
  readonly request: ShownMessage;
  readonly reply: ShownMessage & { readonly status: number };
  readonly steps: readonly ShownStep[];
  readonly ms: number;
  readonly error?: ShownError;
}

interface Sampled {
  readonly method: CompiledOperation['method'];
  readonly path: string;
  readonly parameters?: readonly ParameterDocument[];
  readonly document?: { readonly parameters?: readonly ParameterDocument[] };
}

/** Turns a sample request into what the gateway would hand over; objects and lists stand as their parameters say. */
export function incomingOf(operation: Sampled, base: string, sample: SampleRequest): Incoming {
  const text = (v: unknown): string => (typeof v === 'string' ? v : writeJson(v));
  const declared = operation.document?.parameters ?? operation.parameters ?? [];
  const formOf = (place: 'path' | 'query' | 'cookie', name: string, v: unknown) => {
    const p = Array.isArray(v) || isObject(v) ? declared.find((x) => x.in === place && x.name === name) : undefined;
    return p && parameterForm({ ...p, schema: {} }, {});
  };
  const path: Record<string, string> = {};
  for (const [k, v] of Object.entries(sample.path ?? {})) {
    const form = formOf('path', k, v);
    path[k] = form ? decodeURIComponent(writeSimple(form, v)) : text(v);
  }
  const query: Record<string, string | string[]> = {};
  const search = new URLSearchParams();
  for (const [k, v] of Object.entries(sample.query ?? {})) {
    if (v === undefined || v === null) continue;
    const form = formOf('query', k, v);
    if (form) {
      for (const [name, one] of new URLSearchParams(writeQuery(form, v).join('&').replaceAll('+', '%2B'))) {
        query[name] = query[name] === undefined ? one : [query[name], one].flat();
        search.append(name, one);
      }
      continue;
    }
    const values = (Array.isArray(v) ? v : [v]).map(text);
    query[k] = Array.isArray(v) ? values : values[0]!;
    for (const t of values) search.append(k, t);
  }
  const headers: Record<string, string> = {};
  for (const [k, v] of Object.entries(sample.headers ?? {})) headers[k.toLowerCase()] = v;
  const cookies = Object.entries(sample.cookies ?? {}).flatMap(([name, v]) =>
    v === undefined || v === null ? [] : writeQuery(formOf('cookie', name, v) ?? PLAIN_COOKIE(name), v),
  );
  if (cookies.length) headers.cookie = [...(headers.cookie ? [headers.cookie] : []), ...cookies].join('; ');
  const hasBody = sample.body !== undefined;
  const mediaType = hasBody
    ? (headers['content-type'] ?? (typeof sample.body === 'string' ? 'text/plain' : 'application/json'))
    : undefined;
  if (mediaType) headers['content-type'] = mediaType;
  const json = mediaType !== undefined && /json/i.test(mediaType);
  const body = hasBody
    ? Body.ofText(
        typeof sample.body === 'string' && !json
          ? sample.body
          : typeof sample.body === 'string' && looksJson(sample.body)
            ? sample.body
            : writeJson(sample.body),
        mediaType,
      )
    : Body.empty();
  // Whether or not somebody writes the slash in front of it.
  const rest = operation.path.endsWith('/*') ? `/${(path['*'] ?? '').replace(/^\//, '')}` : '';
  const filled = filledPath(operation.path, path).replace(/\/\*$/, () => rest);
  const query2 = search.toString();
  return {
    method: operation.method === 'ANY' ? (body.isEmpty ? 'GET' : 'POST') : operation.method,
    url: `${base.replace(/\/$/, '')}${filled}`,
    path,
    query,
    headers,
    body,
    rest,
    below: rest === '' ? filled : rest,
    search: query2 ? `?${query2}` : '',
  };
}

const PLAIN_COOKIE = (name: string) => parameterForm({ name, in: 'cookie', schema: {} }, {});

/** JSON given as text in a sample is sent as it is, also when it is broken on purpose. */
function looksJson(text: string): boolean {
  return /^\s*[[{"\d-]|^\s*(true|false|null)/.test(text);
}

/** Runs one request with every message kept. The same engine, the same ports as for callers. */
export async function rehearse(
  operation: CompiledOperation,
  incoming: Incoming,
  context: Omit<CallContext, 'observer'>,
): Promise<Rehearsal> {
  const started = context.ports.clock.now();
  const seen: StepSeen[] = [];
  const outcome = await operation.handle(incoming, {
    ...context,
    rehearsed: true,
    observer: { step: (s) => void seen.push(s) },
  });
  const ms = context.ports.clock.now() - started;
  if (outcome.reply.body.pending) await outcome.reply.body.load();
  const reply = showMessage(outcome.reply, undefined, LIMITS.rehearsedBytes);
  return {
    request: showMessage(
      {
        method: incoming.method,
        path: incoming.url + incoming.search,
        headers: incoming.headers,
        body: incoming.body,
      },
      undefined,
      LIMITS.rehearsedBytes,
    ),
    reply: { ...reply, status: outcome.reply.status! },
    steps: showSteps(seen, operation, started, LIMITS.rehearsedBytes),
    ms,
    ...(outcome.refusal && { error: showError(outcome.refusal) }),
  };
}

const NOTHING: ShownMessage = { headers: {}, bytes: 0 };

/** Steps that ran, and those that did not come to it as not taken, in the order of the flow, steps inside steps behind the step that holds them. */
export function showSteps(
  seen: readonly StepSeen[],
  operation: Pick<CompiledOperation, 'document'>,
  startedMs: number,
  most: number = LIMITS.shownBytes,
  light = false,
): ShownStep[] {
  const ran = new Map<string, { first: StepSeen; times: number }>();
  for (const s of seen) {
    const had = ran.get(s.at);
    if (!had) ran.set(s.at, { first: s, times: 1 });
    else {
      had.times++;
      if (s.error !== undefined && had.first.error === undefined) had.first = s;
    }
  }
  // One message, shown once, however many steps it passes.
  const shown = new Map<Message, ShownMessage>();
  const show = (m: Message): ShownMessage => {
    let s = shown.get(m);
    if (!s) shown.set(m, (s = showMessage(m, undefined, most, light)));
    return s;
  };
  const out: ShownStep[] = [];
  walkFlow(operation.document.flow, (step, at) => {
    const found = ran.get(at);
    ran.delete(at);
    if (found) out.push(shownStep(found.first, found.times, startedMs, show));
    else
      out.push({
        at,
        kind: step.kind,
        name: step.name,
        ms: 0,
        startMs: 0,
        taken: false,
        before: NOTHING,
      });
  });
  // Steps of doors, and of the flows that were called.
  for (const { first, times } of ran.values()) out.push(shownStep(first, times, startedMs, show));
  return out;
}

function shownStep(s: StepSeen, times: number, startedMs: number, show: (m: Message) => ShownMessage): ShownStep {
  return {
    at: s.at,
    kind: s.kind,
    name: s.name,
    ms: s.ms,
    startMs: s.startMs - startedMs,
    taken: true,
    before: show(s.before),
    after: s.after && show(s.after),
    error: s.error === undefined ? undefined : showError(s.error),
    notes: s.notes,
    ...(times > 1 && { times }),
  };
}

export function showError(error: unknown): ShownError {
  if (error instanceof Refusal)
    return {
      code: error.code,
      status: error.status,
      message: error.options.detail ?? error.message,
      inner: error.options.inner,
      ...(error.guard && { guard: error.guard }),
    };
  return { code: 'HNG-420', status: 500, message: (error as Error).message };
}
