import { preflight } from '../guards/cors/guard';
import { compilePlans, fieldGuards, named, NO_CHECKS, planNamed, secretsOf, unlessKnown } from '../guards/compile';
import { WORKSPACE } from '../guards/per';
import { GUARD_ORDER, guardKind } from '../guards/registry';
import { effectiveGuards, type CompiledGuard, type EffectiveGuard } from '../guards/kind';
import type { Message } from '../message/message';
import type { SecretPlaces } from '../message/secrets';
import type { Body } from '../message/body';
import { Refusal } from '../problem';
import type { ContractOperation, SoapVersion } from '../contract';
import { compileSeries, type FlowWorld, type Neighbours } from './context';
import { demandReferences } from './check-texts';
import { openBackends, type BackendSet } from './contracts';
import type { FlowDocument, OperationDocument } from './document';
import { flowRequest } from './incoming';
import { compileParameters, type RawValues } from './parameters';
import { eventEntries, type EventEntry } from '../events/door';
import { graphEntries, type GraphEntry } from '../graph/door';
import { compileShape } from './shape';
import { faultOf, soapEntry, soapInward, soapOutward, versionOf, wsdlEntry } from './soap-door';
import { innerRunner } from './inner';
import { demandStatus, marked, refusalMessage } from './reply';
import type { Observer, Ports } from './ports';
import { Budget } from '../expression/budget';
import { LIMITS } from '../limits';
import { Run, runSeries, type ClientCertificate, type CompiledStep, type Identity } from './run';

/** A caller's request as the gateway hands it over, before anything is parsed. */
export interface Incoming {
  readonly method: string;
  /** Normalised path (RFC 3986 §6.2.2), without query. */
  readonly url: string;
  /** Path parameters, percent-decoded. */
  readonly path: RawValues;
  readonly query: RawValues;
  /** Query string with "?", or empty. */
  readonly search: string;
  /** What a trailing wildcard took, percent-encoded. */
  readonly rest: string;
  /** `rest`, or the path below the door where there is no wildcard; percent-encoded. `rest` when absent. */
  readonly below?: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Body;
  /** Address of the caller, where there is a connection. */
  readonly remote?: string;
  readonly secure?: boolean;
  readonly certificate?: ClientCertificate;
}

export interface CallContext {
  /** Under which name the gateway runs the API. */
  readonly api?: string;
  readonly ports: Ports;
  readonly environment?: string;
  readonly env: Readonly<Record<string, unknown>>;
  readonly traceId: string;
  /** Headers for every backend call, e.g. traceparent. */
  readonly outbound: Readonly<Record<string, string>>;
  readonly observer?: Observer;
  /** Nobody calls: there is no connection that a guard could look at. */
  readonly rehearsed?: true;
  /** Who calls, where it is known before any guard. */
  readonly identity?: Identity;
  /** APIs of this gateway by name, for calls from flow to flow. */
  readonly apis?: (name: string) => CompiledApi | undefined;
  /** How deep this call stands in calls from flow to flow. */
  readonly depth?: number;
  /** What expressions may still take, where this call belongs to another request. */
  readonly budget?: Budget;
  readonly prefix?: string;
  readonly trail?: readonly number[];
}

export interface Outcome {
  /** Whoever has written it may put another in its place (`Run.release` says why). */
  reply: Message;
  readonly backendMs: number;
  /** Set when the reply is a problem that the gateway made. */
  readonly refusal?: Refusal;
  /** Who called, where a guard found out. */
  readonly identity?: Identity;
  /** The operation that answered, where a door has one way in for many. */
  readonly operation?: CompiledOperation;
}

export interface CompiledDoor {
  readonly name: string;
  readonly path: string;
  readonly hosts: readonly string[];
}

export interface CompiledOperation {
  readonly id: string;
  readonly method: string;
  readonly path: string;
  readonly document: OperationDocument;
  readonly guards: readonly EffectiveGuard[];
  handle(incoming: Incoming, context: CallContext): Promise<Outcome>;
  /** Runs the flow on a run that has begun elsewhere: the request goes on as it is. */
  continueWith(run: Run): Promise<void>;
  /** Its reply may be a stream of events: a WebSocket may begin here. */
  readonly streams?: boolean;
  /** Answers a browser that asks first, where pages may call (Fetch standard); undefined where no guard says so. */
  preflight?(headers: Readonly<Record<string, string>>, methods: readonly string[]): Message;
}

export interface CompiledApi {
  readonly document: FlowDocument;
  readonly doors: readonly CompiledDoor[];
  /** By door name. Guards may differ between doors; flows are shared. */
  readonly operations: ReadonlyMap<string, readonly CompiledOperation[]>;
  /** Every operation by id, as flows call it: without doors. */
  readonly inside: ReadonlyMap<string, CompiledOperation>;
  /** Where its callers send secrets, at any door. */
  readonly secrets: SecretPlaces;
}

/** Compiles a document to closures. Nothing is parsed per request that could be parsed here. */
export function compileApi(document: FlowDocument, neighbours?: Neighbours): CompiledApi {
  demandReferences(document);
  const backends = openBackends(document);
  const self: { api?: CompiledApi } = {};
  const base = { document, backends, neighbours };
  const flows = new Map<string, readonly CompiledStep[]>();
  for (const [id, operation] of Object.entries(document.operations)) {
    const world: FlowWorld = { ...base, operationId: id, operation, root: `/operations/${id}/flow` };
    flows.set(id, compileSeries(world, operation.flow, ''));
  }
  const operations = new Map<string, readonly CompiledOperation[]>();
  const compileAt = (id: string, operation: OperationDocument, door: Door, n: number) => {
    const world: FlowWorld = { ...base, operationId: id, operation, root: '' };
    const steps = {
      before: compileSeries(world, door.before ?? [], `/doors/${n}/before`),
      flow: flows.get(id)!,
      after: compileSeries(world, door.after ?? [], `/doors/${n}/after`),
    };
    return compileOperation(id, operation, document, door, steps, contractOf(operation, backends), self);
  };
  document.doors.forEach((door, n) => {
    const topicEntries: CompiledOperation[] = [];
    const entered = entriesOf(document, door, backends);
    if (entered) {
      const world: FlowWorld = { ...base, operationId: 'graph', operation: GRAPH, root: '' };
      const before = compileSeries(world, door.before ?? [], `/doors/${n}/before`);
      const after = compileSeries(world, door.after ?? [], `/doors/${n}/after`);
      const entries = entered.map((e) => ({
        ...compileOperation(e.id, e.operation, document, door, { before, flow: e.flow, after }, undefined, self),
        streams: 'streams' in e,
      }));
      // A graph is all its operations; beside the paths of topics operations have their own.
      if (door.answers === 'graphql') {
        operations.set(door.name, entries);
        return;
      }
      topicEntries.push(...entries);
    }
    const own = Object.entries(document.operations)
      .filter(([, operation]) => !operation.internal)
      .map(([id, operation]) => compileAt(id, operation, door, n));
    operations.set(door.name, [...topicEntries, ...soapEntries(own, document, door, backends), ...own]);
  });
  const inside = new Map(
    Object.entries(document.operations).map(([id, operation]) => [id, compileAt(id, operation, INSIDE, -1)] as const),
  );
  self.api = {
    document,
    doors: document.doors.map((d) => ({ name: d.name, path: d.path, hosts: d.hosts ?? [] })),
    operations,
    inside,
    secrets: secretsOf(document),
  };
  return self.api;
}

type Door = FlowDocument['doors'][number];

/** The ways in of doors that do not show the operations one by one. */
function entriesOf(document: FlowDocument, door: Door, backends: BackendSet): (GraphEntry | EventEntry)[] | undefined {
  if (door.answers === 'graphql') {
    const behind = document.graph?.backend === undefined ? undefined : backends.contexts.get(document.graph.backend);
    return graphEntries(document, fieldGuards(document, door.name), door.name, behind);
  }
  return door.answers === 'events' ? eventEntries(document, door) : undefined;
}

/** What other flows call: no guards but those that look at the message. */
const INSIDE: Door = { name: 'inside', path: '/' };
const GRAPH: OperationDocument = { method: 'POST', path: '/', flow: [] };

function contractOf(operation: OperationDocument, backends: BackendSet): ContractOperation | undefined {
  const { backend, operation: name } = operation.soap ?? {};
  return backend === undefined
    ? undefined
    : backends.contexts.get(backend)?.contract?.operations.find((o) => o.id === name);
}

/** For each path of a SOAP door one way in by POST, and the description by GET. They stand before the operations themselves. */
function soapEntries(
  own: readonly CompiledOperation[],
  document: FlowDocument,
  door: FlowDocument['doors'][number],
  backends: BackendSet,
): CompiledOperation[] {
  const soap = own.filter((o) => o.document.soap);
  const contracts = new Map(
    soap.flatMap((o) => {
      const c = contractOf(o.document, backends);
      return c ? [[o.id, c] as const] : [];
    }),
  );
  return [...new Set(soap.map((o) => o.path))].flatMap((path) => [
    soapEntry(
      path,
      soap.filter((o) => o.path === path),
      contracts,
    ),
    wsdlEntry(path, document, door),
  ]);
}

function compileOperation(
  id: string,
  operation: OperationDocument,
  document: FlowDocument,
  door: FlowDocument['doors'][number],
  steps: {
    readonly before: readonly CompiledStep[];
    readonly flow: readonly CompiledStep[];
    readonly after: readonly CompiledStep[];
  },
  contract: ContractOperation | undefined,
  self: { api?: CompiledApi },
): CompiledOperation {
  const soap = contract?.soap;
  const guards = effectiveGuards(document, door, operation, GUARD_ORDER).filter(
    (g) => door !== INSIDE || g.guard.kind === 'schema',
  );
  // What may refuse without reading comes first; a body is read, and given its form, only for the schema.
  const checks: CompiledGuard[] = [];
  const schemaChecks: CompiledGuard[] = [];
  const validates = guards.some((g) => g.guard.kind === 'schema');
  const guardContext = { document, operationId: id, operation, ...(door !== INSIDE && { door: door.name }) };
  const planned = compilePlans(document, guardContext);
  const from = {
    workspace: WORKSPACE,
    api: 'all doors',
    door: `the door ${door.name}`,
    operation: `the operation ${id}`,
    plan: 'the plan',
  };
  for (const { guard, origin } of guards) {
    const kind = guardKind(guard.kind);
    const made = kind.compile(guard, { ...guardContext, scope: from[origin] });
    const act = made && named(made, guard.kind, from[origin]);
    const compiled = act && kind.knows ? unlessKnown(act) : act;
    if (compiled) (guard.kind === 'schema' ? schemaChecks : checks).push(compiled);
  }
  const cors = guards.map((g) => g.guard).find((g) => g.kind === 'cors');
  const shape = compileShape(door, operation, document.types ?? {});
  const parse = compileParameters(operation.parameters ?? [], document.types ?? {});
  return {
    id,
    document: operation,
    guards,
    method: operation.method,
    path: operation.path,
    ...(cors && { preflight: (headers, methods) => preflight(cors, headers, methods) }),
    async continueWith(run) {
      await runSeries(steps.flow, run);
    },
    async handle(incoming, context) {
      const { request, faults } = flowRequest(incoming, parse);
      const run = new Run(
        request,
        context.ports,
        context.env,
        context.environment,
        context.outbound,
        context.observer,
        {
          api: context.api,
          base: door === INSIDE ? undefined : door.path,
          rehearsed: context.rehearsed,
          traceId: context.traceId,
          identity: context.identity,
          budget: context.budget ?? budgetOf(document),
          prefix: context.prefix,
          trail: context.trail,
          inner: innerRunner(context, () => self.api),
        },
      );
      const accept = incoming.headers.accept;
      if (context.identity?.plan) run.planName = planNamed(document, context.identity.plan.name);
      try {
        for (const check of checks) {
          const p = check({ run, parameterFaults: faults });
          if (p) await p;
        }
        for (const check of (run.planName !== undefined && planned.get(run.planName)) || NO_CHECKS) {
          const p = check({ run, parameterFaults: faults });
          if (p) await p;
        }
        if (soap) {
          await run.message.body.load();
          run.restart(soapInward(run.message, soap, validates));
        } else {
          const shaped = shape.inward(run.message);
          if (shaped) run.restart(await shaped);
        }
        for (const check of schemaChecks) {
          const p = check({ run, parameterFaults: faults });
          if (p) await p;
        }
        if (steps.before.length) {
          await runSeries(steps.before, run);
          // What the door made of the request is the request, for the flow; a reply of the door is the answer.
          if (!run.ended) run.restart(run.message);
        }
        if (!run.ended) await runSeries(steps.flow, run);
        if (steps.after.length) {
          run.ended = false;
          await runSeries(steps.after, run);
        }
        if (run.message.status === undefined)
          throw new Refusal('HNG-420', {
            detail: 'A step of the flow failed. The trace says which.',
            inner: 'the flow ended without a reply: the last message is still a request',
          });
        demandStatus(run.message);
        if (soap)
          return {
            reply: marked(soapOutward(run.message, soap, callerVersion(run, incoming)), run),
            backendMs: run.backendMs,
            identity: run.identity,
          };
        if (run.message.body.pending && shape.demands(run.message)) await run.message.body.load();
        if (run.message.body.pending)
          return { reply: marked(run.message, run), backendMs: run.backendMs, identity: run.identity };
        return {
          reply: marked(shape.outward(run.message, accept), run),
          backendMs: run.backendMs,
          identity: run.identity,
        };
      } catch (error) {
        const refusal =
          error instanceof Refusal
            ? error
            : new Refusal('HNG-420', {
                detail: 'A step of the flow failed. The trace says which.',
                inner: (error as Error).message,
                cause: error,
              });
        if (soap) {
          const fault = faultOf(refusal, callerVersion(run, incoming), incoming.url, context.traceId);
          return { reply: marked(fault, run, true), backendMs: run.backendMs, refusal, identity: run.identity };
        }
        const reply = shape.outward(refusalMessage(refusal, incoming.url, context.traceId), accept);
        return { reply: marked(reply, run, true), backendMs: run.backendMs, refusal, identity: run.identity };
      } finally {
        for (const end of run.endings) end();
        run.release();
      }
    },
  };
}

/** What the expressions of a request may take, where the document says so; else as always. */
function budgetOf({ limits }: FlowDocument): Budget | undefined {
  if (!limits) return undefined;
  return new Budget({
    ms: limits.expressionMs ?? LIMITS.expressionMs,
    bytes: limits.expressionBytes ?? LIMITS.expressionBytes,
  });
}

/** The version in which the caller is answered: that of its envelope, or what its content type says. */
function callerVersion(run: Run, incoming: Incoming): SoapVersion {
  const format = run.firstMessage.format;
  return format === 'SOAP 1.1' || format === 'SOAP 1.2'
    ? (format.slice(5) as SoapVersion)
    : versionOf(incoming.headers);
}

export { refusalMessage };
