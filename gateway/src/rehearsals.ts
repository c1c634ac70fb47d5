import {
  compileApi,
  HeldTopics,
  MemoryStore,
  rehearseCase,
  runCases,
  type CaseDocument,
  type CaseResult,
  type CaseWorld,
  type CompiledApi,
  type FlowDocument,
  type GuardDocument,
  withWorkspace,
  type Ports,
  packRehearsal,
  type PackedRehearsal,
} from '@hinge/core';
import { createHash } from 'node:crypto';
import { GATEWAY_LIMITS } from './limits';

export interface RehearsalOrder {
  readonly document: FlowDocument;
  /** One case to be run message by message, or many to be judged. */
  readonly case?: CaseDocument;
  readonly cases?: readonly CaseDocument[];
  readonly environment?: string;
  /** Of the workspace. */
  readonly guards?: readonly GuardDocument[];
  readonly variables?: Readonly<Record<string, unknown>>;
}

export interface Rehearsed {
  readonly rehearsal?: PackedRehearsal;
  readonly results?: readonly CaseResult[];
}

/** Runs drafts with sample requests on the engine that serves callers. Compiled drafts are kept by their hash. */
export class Rehearsals {
  private readonly drafts = new Map<string, CompiledApi>();

  constructor(
    private readonly ports: Ports,
    private readonly neighbour: (name: string) => CompiledApi | undefined = () => undefined,
  ) {}

  async run(order: RehearsalOrder): Promise<Rehearsed> {
    const api = this.compiled(order.document, order.guards);
    const world: CaseWorld = {
      // What a rehearsal remembers is its own: callers never get it, and the next rehearsal starts afresh.
      ports: {
        ...this.ports,
        counters: undefined,
        store: new MemoryStore(this.ports.clock.now),
        topics: new HeldTopics(),
      },
      environment: order.environment,
      env: order.variables ?? {},
      apis: this.neighbour,
    };
    if (order.cases) return { results: await runCases(api, order.cases, world) };
    if (!order.case) throw new Error('the order names no case');
    return { rehearsal: packRehearsal(await rehearseCase(api, order.case, world)) };
  }

  private compiled(draft: FlowDocument, guards: readonly GuardDocument[] = []): CompiledApi {
    const key = createHash('sha256')
      .update(JSON.stringify([draft, guards]))
      .digest('hex');
    const hit = this.drafts.get(key);
    if (hit) return hit;
    const api = compileApi(withWorkspace(draft, guards), (name) => this.neighbour(name)?.document);
    this.drafts.set(key, api);
    if (this.drafts.size > GATEWAY_LIMITS.drafts) this.drafts.delete(this.drafts.keys().next().value!);
    return api;
  }
}
