import {
  compileApi,
  incomingOf,
  rehearse,
  type CompiledApi,
  type FlowDocument,
  type Ports,
  type Rehearsal,
  type SampleRequest,
} from '@hinge/core';
import { createHash, randomBytes } from 'node:crypto';
import { GATEWAY_LIMITS } from './limits';

export interface RehearsalOrder {
  readonly document: FlowDocument;
  readonly operation: string;
  readonly request: SampleRequest;
  readonly environment?: string;
  readonly variables?: Readonly<Record<string, unknown>>;
}

/** Runs drafts with sample requests on the engine that serves callers. Compiled drafts are kept by their hash. */
export class Rehearsals {
  private readonly drafts = new Map<string, CompiledApi>();

  constructor(private readonly ports: Ports) {}

  async run(order: RehearsalOrder): Promise<Rehearsal> {
    const api = this.compiled(order.document);
    const door = order.document.doors[0];
    const operation = door && api.operations.get(door.name)?.find((o) => o.id === order.operation);
    if (!operation) throw new Error(`the document has no operation ${order.operation} behind a door`);
    const traceId = randomBytes(16).toString('hex');
    return rehearse(operation, incomingOf(operation, door.path, order.request), {
      ports: this.ports,
      environment: order.environment,
      env: order.variables ?? {},
      traceId,
      outbound: { traceparent: `00-${traceId}-${randomBytes(8).toString('hex')}-00` },
    });
  }

  private compiled(document: FlowDocument): CompiledApi {
    const key = createHash('sha256').update(JSON.stringify(document)).digest('hex');
    const hit = this.drafts.get(key);
    if (hit) return hit;
    const api = compileApi(document);
    this.drafts.set(key, api);
    if (this.drafts.size > GATEWAY_LIMITS.drafts) this.drafts.delete(this.drafts.keys().next().value!);
    return api;
  }
}
