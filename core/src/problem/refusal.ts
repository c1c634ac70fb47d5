import type { Message } from '../message/message';
import { CODES, type Code } from './codes';

/** One fault of the input, as `errors[]` of a problem carries it (RFC 9457 §3 example; pointer is RFC 6901). */
export interface InputFault {
  readonly pointer?: string;
  readonly parameter?: string;
  readonly detail: string;
  readonly code: string;
}

/** A backend's SOAP fault as callers see it. `detail` is the typed detail as JSON. */
export interface FaultBody {
  readonly code: string;
  readonly reason: string;
  readonly detail?: unknown;
}

export interface RefusalOptions {
  readonly status?: number;
  readonly detail?: string;
  readonly errors?: readonly InputFault[];
  readonly fault?: FaultBody;
  readonly headers?: Readonly<Record<string, string>>;
  /** For signed-in designers only: shown in the trace, never sent to callers. */
  readonly inner?: string;
  readonly backend?: string;
  /** Status that the backend answered with. */
  readonly backendStatus?: number;
  readonly cause?: unknown;
  readonly title?: string;
  /** Appended to the problem type, e.g. the name of a fault. */
  readonly kind?: string;
  /** The whole reply, where it is not a problem that we write: a backend's own answer that goes on. */
  readonly reply?: Message;
  /** A backend's fault as it came, for SOAP doors. */
  readonly soapFault?: Message;
}

/** Ends a request with a problem (RFC 9457). Thrown by steps and guards, turned into a reply by the engine. */
export class Refusal extends Error {
  readonly code: Code;
  readonly status: number;
  readonly options: RefusalOptions;
  /** The guard that refused, and where it is set, in words. For designers. */
  /** The step that failed: where it stands in its flow (RFC 6901), and what it is. For designers. */
  step?: { readonly at: string; readonly kind: string; readonly name?: string };
  guard?: { readonly kind: string; readonly from: string };
  constructor(code: Code, options: RefusalOptions = {}) {
    const row: { status?: number; title: string } = CODES[code];
    // Whoever floods a guard makes as many of these: where in our code it was thrown tells nobody anything (measured: 9 µs, and 0.7 without).
    const { stackTraceLimit } = Error;
    Error.stackTraceLimit = 0;
    super(
      options.inner ?? options.detail ?? row.title,
      options.cause === undefined ? undefined : { cause: options.cause },
    );
    Error.stackTraceLimit = stackTraceLimit;
    this.name = 'Refusal';
    this.code = code;
    this.status = options.status ?? row.status ?? 500;
    this.options = options;
  }
}

/** RFC 9457 members. `type` is a relative reference: stable, and it names no host. */
export interface ProblemDocument {
  type: string;
  title: string;
  status: number;
  detail?: string;
  instance?: string;
  traceId?: string;
  errors?: readonly InputFault[];
  fault?: FaultBody;
  backend?: string;
}

export function problemOf(refusal: Refusal, instance: string, traceId: string): ProblemDocument {
  const row = CODES[refusal.code];
  const o = refusal.options;
  const problem: ProblemDocument = {
    type: `/problems/${refusal.code.toLowerCase()}${o.kind ? `/${encodeURIComponent(o.kind)}` : ''}`,
    title: o.title ?? row.title,
    status: refusal.status,
  };
  problem.detail = o.detail ?? row.remedy;
  problem.instance = instance;
  problem.traceId = traceId;
  if (o.backend) problem.backend = o.backend;
  if (o.errors?.length) problem.errors = o.errors;
  if (o.fault) problem.fault = o.fault;
  return problem;
}
