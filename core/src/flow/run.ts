import { withFields } from '../message/headers';
import type { Message } from '../message/message';
import { withoutQuery, type SecretPlaces } from '../message/secrets';
import { Refusal } from '../problem';
import type { Observer, Ports, StepSeen } from './ports';
import { Budget, othersFirst } from '../expression/budget';
import { Scope } from './scope';
import { NotModified, type Validators } from './validators';

/** A caller's request as a flow sees it: message, and parameters by their declared names, typed. */
export interface FlowRequest {
  readonly message: Message;
  readonly method: string;
  readonly path: Readonly<Record<string, unknown>>;
  readonly query: Readonly<Record<string, unknown>>;
  /** Declared cookies. */
  readonly cookies: Readonly<Record<string, unknown>>;
  /** Declared header parameters by their declared names, typed. */
  readonly headerParameters: Readonly<Record<string, unknown>>;
  /** The part of the path behind a wildcard, for proxies; starts with "/" or is empty. Percent-encoded. */
  readonly rest: string;
  /** What a call without a path asks its backend for: `rest`, or the path below the door where there is no wildcard. Percent-encoded; `rest` when absent. */
  readonly below?: string;
  /** The query string as it came, with "?", or empty. */
  readonly search: string;
  /** Address of the caller, where there is a connection. */
  readonly remote?: string;
  /** It came over TLS that the gateway ends. */
  readonly secure?: boolean;
  /** What the caller showed at the beginning of the connection, where the gateway ends TLS. */
  readonly certificate?: ClientCertificate;
}

export interface ClientCertificate {
  /** As KEY=VALUE, with commas. */
  readonly subject: string;
  readonly issuer: string;
  readonly commonName?: string;
  /** Subject alternative names (RFC 5280 §4.2.1.6): DNS:…, URI:…, email:…, IP Address:… */
  readonly names: readonly string[];
  /** SHA-256, hexadecimal digits in pairs with colons. */
  readonly fingerprint: string;
  /** Why it is not trusted. */
  readonly problem?: string;
}

/** Who calls: known once a guard has found out. */
export interface Identity {
  readonly app?: { readonly id: string; readonly name: string };
  readonly plan?: { readonly name: string; readonly values?: Readonly<Record<string, unknown>> };
  /** Of the token that it came with. */
  readonly claims?: Readonly<Record<string, unknown>>;
}

/** What a run knows besides the request. */
export interface RunMore {
  /** Under which name this gateway runs the API. */
  readonly api?: string;
  /** Path of the door that the request came in by. */
  readonly base?: string;
  /** Nobody calls. */
  readonly rehearsed?: true;
  readonly traceId?: string;
  readonly identity?: Identity;
  /** Calls from flow to flow that led here. */
  readonly depth?: number;
  /** Runs an operation inside the gateway. */
  readonly inner?: (call: InnerCall) => Promise<InnerEnd>;
  /** Shared with the runs that this one belongs to. */
  readonly budget?: Budget;
  /** Where steps of a called flow stand in the observer's eyes. */
  readonly prefix?: string;
  readonly trail?: readonly number[];
}

export interface InnerCall {
  readonly api?: string;
  readonly operation: string;
  readonly message: Message;
  readonly run: Run;
  readonly at: string;
  /** A map made the message for it; otherwise the request goes on as it is. */
  readonly made: boolean;
}

export interface InnerEnd {
  readonly reply: Message;
  readonly backendMs: number;
  readonly refusal?: Refusal;
}

/** One request on its way through a flow. Steps replace `message`. */
export class Run {
  message: Message;
  vars: Record<string, unknown> = {};
  steps: Record<string, Message> = {};
  /** Milliseconds spent waiting for backends. */
  backendMs = 0;
  /** A reply step came: nothing behind it runs. */
  ended = false;
  /** Header fields that every reply of this run gets, by lower-case name. */
  replyHeaders: Record<string, string> = {};
  identity: Identity | undefined;
  /** Plan of the app in this document: its guards act too. */
  planName: string | undefined;
  /** What a call asks its backend by, instead of for the whole answer; it throws NotModified when that is still right. */
  validate: Validators | undefined;
  /** Somebody keeps what comes: calls leave here what the answer can be validated by. */
  keeping: { validators?: Validators } | undefined;
  /** The last thing that was remembered was found to be still right. */
  notModified = false;
  /** Set by a step for the observer: facts that stand beside the messages. */
  notes: Record<string, unknown> | undefined;
  /** The request with everything that guards withheld since: for guards that come later, never for a flow. */
  came: FlowRequest;
  /** A call that ends with 400 or above has failed, with or without a contract: somebody here sees to failures. */
  demandsSuccess = false;
  /** What is to be done when the reply is made, or refused. */
  endings: (() => void)[] = [];

  constructor(
    public request: FlowRequest,
    readonly ports: Ports,
    readonly env: Readonly<Record<string, unknown>>,
    /** Name of the environment; chooses among the addresses of a backend. */
    readonly environment: string | undefined,
    readonly outbound: Readonly<Record<string, string>>,
    readonly observer: Observer | undefined,
    readonly more: RunMore = {},
  ) {
    this.message = request.message;
    this.began = request.message;
    this.came = request;
    this.identity = more.identity;
  }

  /** A run beside this one: the same request, variables and results so far, its own message from here on. */
  fork(message: Message = this.message, item?: number): Run {
    const { budget } = this;
    const trail = item === undefined ? this.more.trail : [...(this.more.trail ?? []), item];
    const more = { ...this.more, budget, trail };
    const run = new Run(this.request, this.ports, this.env, this.environment, this.outbound, this.observer, more);
    run.began = this.began;
    run.came = this.came;
    run.message = message;
    run.identity = this.identity;
    run.planName = this.planName;
    run.endings = this.endings;
    run.demandsSuccess = this.demandsSuccess;
    run.backendMs = this.backendMs;
    run.replyHeaders = this.replyHeaders;
    Object.assign(run.vars, this.vars);
    Object.assign(run.steps, this.steps);
    return run;
  }

  /** This run inside the steps of another flow of the same API. */
  forInner(prefix: string, inner: NonNullable<RunMore['inner']>): Run {
    const run = this.fork();
    return Object.assign(
      new Run(this.request, this.ports, this.env, this.environment, this.outbound, this.observer, {
        ...this.more,
        budget: this.budget,
        prefix,
        inner,
      }),
      {
        began: run.began,
        came: run.came,
        message: run.message,
        identity: run.identity,
        replyHeaders: run.replyHeaders,
        demandsSuccess: run.demandsSuccess,
      },
      { backendMs: run.backendMs, vars: run.vars, steps: run.steps },
    );
  }

  /** A run that nobody watches and nobody waits for: what it says and counts is its own. */
  apart(): Run {
    const { request, ports, env, environment, outbound } = this;
    const more = { ...this.more, budget: undefined };
    const run = new Run(request, ports, env, environment, outbound, undefined, more);
    run.began = this.began;
    run.came = this.came;
    run.message = this.message;
    run.identity = this.identity;
    run.planName = this.planName;
    Object.assign(run.vars, this.vars);
    Object.assign(run.steps, this.steps);
    return run;
  }

  private began: Message;
  private budgetMade: Budget | undefined;

  /** What the expressions of this request may take together, those of runs beside this one too. */
  get budget(): Budget {
    return (this.budgetMade ??= this.more.budget ?? new Budget());
  }

  /** True until a step made another message. */
  get isRequest(): boolean {
    return this.message === this.began;
  }

  /** The request as the door shaped it, before the first step. */
  restart(message: Message): void {
    this.message = message;
    this.began = message;
  }

  /** Takes a secret out of the request, for everything behind the guard that read it. */
  withhold({ headers, query }: SecretPlaces): void {
    const r = this.request;
    const m = r.message;
    const message: Message = {
      method: m.method,
      path: m.path === undefined ? undefined : withoutQuery(m.path, query),
      headers: headers.size ? withFields(m.headers, NO_FIELDS, headers) : m.headers,
      body: m.body,
      soapHeader: m.soapHeader,
      format: m.format,
    };
    this.request = {
      message,
      method: r.method,
      path: r.path,
      query: query.size ? without(r.query, (name) => query.has(name)) : r.query,
      cookies: r.cookies,
      headerParameters: headers.size
        ? without(r.headerParameters, (name) => headers.has(name.toLowerCase()))
        : r.headerParameters,
      rest: r.rest,
      below: r.below,
      search: withoutQuery(r.search, query),
      remote: r.remote,
      secure: r.secure,
      certificate: r.certificate,
    };
    this.restart(message);
  }

  /**
   * Lets go of what came of the request, when it is answered. A run that waited long for its backend lies among the old
   * objects by then; what it points to would outlive it until all of those are looked at, and be moved there meanwhile (a
   * fifth of all trees and two fifths of all texts of long answers, by fifty callers).
   */
  release(): void {
    // A stream goes on.
    if (this.message.body.pending) return;
    this.message = this.began;
    this.steps = {};
    this.vars = {};
    this.scopeFor = undefined;
    this.scopeMade = undefined;
  }

  get firstMessage(): Message {
    return this.began;
  }

  private scopeFor: Message | undefined;
  private scopeMade: Scope | undefined;

  /** The names an expression sees. Made once for each message. */
  get scope(): Scope {
    if (this.scopeFor !== this.message) {
      this.scopeFor = this.message;
      this.scopeMade = new Scope(this);
    }
    return this.scopeMade!;
  }
}

const NO_FIELDS: Readonly<Record<string, string>> = {};

function without<V>(values: Readonly<Record<string, V>>, gone: (name: string) => boolean): Readonly<Record<string, V>> {
  let any = false;
  for (const name in values) any ||= gone(name);
  if (!any) return values;
  const left: Record<string, V> = {};
  for (const name in values) if (!gone(name)) left[name] = values[name]!;
  return left;
}

/** Every step after compiling. */
export interface CompiledStep {
  readonly kind: string;
  readonly name?: string;
  /** RFC 6901 pointer into the operation's flow. */
  readonly at: string;
  run(run: Run): void | Promise<void>;
}

/** Runs steps in series; a single one that nobody looks at and nobody asks for later is handed on as it is. */
export function runSeries(steps: readonly CompiledStep[], run: Run): void | Promise<void> {
  const only = steps.length === 1 ? steps[0]! : undefined;
  return only && !run.observer && only.name === undefined && !othersFirst.due() ? only.run(run) : runAll(steps, run);
}

/** The observer's branch is apart, so that nobody looking costs one comparison per step. */
async function runAll(steps: readonly CompiledStep[], run: Run): Promise<void> {
  for (const step of steps) {
    if (othersFirst.due()) await othersFirst();
    if (run.observer) await runObserved(step, run, run.observer);
    else {
      const p = step.run(run);
      if (p) await p;
    }
    if (step.name) run.steps[step.name] = run.message;
    if (run.ended) return;
  }
}

async function runObserved(step: CompiledStep, run: Run, observer: Observer): Promise<void> {
  const before = run.message;
  const startMs = run.ports.clock.now();
  run.notes = undefined;
  const seen = (error: unknown, after: Message | undefined): StepSeen => ({
    at: run.more.prefix === undefined ? step.at : run.more.prefix + step.at,
    trail: run.more.trail,
    kind: step.kind,
    name: step.name,
    startMs,
    ms: run.ports.clock.now() - startMs,
    before,
    after,
    error,
    notes: run.notes,
  });
  try {
    await step.run(run);
  } catch (error) {
    observer.step(
      seen(error instanceof NotModified ? undefined : error, run.message === before ? undefined : run.message),
    );
    throw error;
  }
  observer.step(seen(undefined, run.message));
}

/** Wraps whatever a step threw into a refusal that says which step it was. */
export function stepFailure(step: { at: string; kind: string; name?: string }, error: unknown): Error {
  if (error instanceof NotModified) return error;
  if (error instanceof Refusal) {
    // The innermost step says it first.
    error.step ??= step;
    return error;
  }
  const label = step.name ? `${step.kind} "${step.name}"` : step.kind;
  const refusal = new Refusal('HNG-420', {
    detail: 'A step of the flow failed. The trace says which.',
    inner: `${label} at ${step.at}: ${(error as Error).message}`,
    cause: error,
  });
  refusal.step = step;
  return refusal;
}
