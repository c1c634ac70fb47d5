import type { Message } from '@hinge/core';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { TraceContext } from '../telemetry/trace-context';
import type { TraceHead } from '../telemetry/trace';

/** A request that is being answered. */
export interface Taken {
  readonly req: IncomingMessage;
  readonly res: ServerResponse;
  readonly trace: TraceContext;
  /** Of the port's clock. */
  readonly started: number;
}

type Known = Omit<TraceHead, 'id' | 'traceId' | 'at' | 'method' | 'url'>;

/** What a trace says before its messages. `now`: of the port's clock. Written out: copying one object into another costs many times more. */
export function headOf({ req, trace, started }: Taken, now: number, request: Message, of: Known): TraceHead {
  return {
    id: trace.spanId,
    traceId: trace.traceId,
    at: Date.now() - (now - started),
    api: of.api,
    release: of.release,
    environment: of.environment,
    app: of.app,
    plan: of.plan,
    door: of.door,
    operation: of.operation,
    method: req.method ?? 'GET',
    url: request.path ?? '/',
    status: of.status,
    ms: of.ms,
    backendMs: of.backendMs,
    offered: of.offered,
  };
}
