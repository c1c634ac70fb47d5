import {
  Body,
  compileApi,
  incomingOf,
  MemoryStore,
  rehearse,
  type BackendReply,
  type BackendRequest,
  type CompiledApi,
  type FlowDocument,
  type Identity,
  type Rehearsal,
  type SampleRequest,
  type StepDocument,
} from '../src';

export type Operation = FlowDocument['operations'][string];
export type Send = (r: BackendRequest) => BackendReply | Promise<BackendReply>;

/** An API of one operation over backends without contracts. */
export function api(flow: readonly StepDocument[], more: Partial<Operation> = {}): FlowDocument {
  return {
    hinge: 1,
    api: { name: 'Test', version: '1' },
    doors: [{ name: 'public', path: '/t' }],
    backends: {
      one: { address: 'http://one.test' },
      two: { address: 'http://two.test' },
      three: { address: 'http://three.test' },
    },
    operations: {
      Do: {
        method: 'GET',
        path: '/x/{id}',
        parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
        flow: [...flow],
        ...more,
      },
    },
  };
}

export const json = (value: unknown, status = 200, headers: Record<string, string> = {}): BackendReply => ({
  status,
  headers: { 'content-type': 'application/json', ...headers },
  body: Body.ofText(JSON.stringify(value), 'application/json'),
});

export interface World {
  readonly api: CompiledApi;
  readonly sent: BackendRequest[];
  readonly store: MemoryStore;
  /** Moves the clock on. */
  wait(ms: number): void;
  run(sample?: SampleRequest, operation?: string, identity?: Identity): Promise<Rehearsal>;
}

/** A compiled document with a clock that stands still unless it is moved, a store, and backends that a function plays. */
export function world(
  document: FlowDocument,
  send: Send = () => json({}),
  others: Record<string, FlowDocument> = {},
  env: Record<string, unknown> = { north: 'http://north.test' },
): World {
  let offset = 0;
  const now = () => performance.now() + offset;
  const sent: BackendRequest[] = [];
  const compiled = compileApi(document, (name) => others[name]);
  const apis = new Map(Object.entries(others).map(([name, d]) => [name, compileApi(d)]));
  const store = new MemoryStore(now);
  const ports = {
    clock: { now },
    store,
    backends: {
      send: async (r: BackendRequest) => {
        sent.push(r);
        return send(r);
      },
    },
  };
  return {
    api: compiled,
    sent,
    store,
    wait: (ms) => void (offset += ms),
    run(sample = { path: { id: '7' } }, operation = 'Do', identity) {
      const door = document.doors[0]!;
      const op = compiled.operations.get(door.name)!.find((o) => o.id === operation)!;
      return rehearse(op, incomingOf(op, door.path, sample), {
        ports,
        env,
        traceId: 't'.repeat(32),
        outbound: {},
        identity,
        apis: (name) => apis.get(name),
      });
    },
  };
}

export const call = (backend: string, more: Partial<Extract<StepDocument, { kind: 'call' }>> = {}): StepDocument => ({
  kind: 'call',
  backend,
  ...more,
});
export const answer = (from: string, status = 200): StepDocument => ({
  kind: 'reply',
  status,
  mediaType: 'application/json',
  from,
});
