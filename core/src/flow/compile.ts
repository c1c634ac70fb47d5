import { GUARD_ORDER, guardKind } from '../guards/registry';
import { effectiveGuards, type CompiledGuard, type EffectiveGuard } from '../guards/kind';
import type { Message } from '../message/message';
import { Body } from '../message/body';
import { writeJson } from '../codec/json';
import { problemOf, Refusal, type InputFault } from '../problem';
import type { StepContext } from '../steps/kind';
import { stepKind } from '../steps/registry';
import type { ContractOperation, SoapVersion } from '../contract';
import { openBackends, type BackendSet } from './contracts';
import type { FlowDocument, OperationDocument } from './document';
import { compileParameters, type RawValues } from './parameters';
import { compileShape } from './shape';
import { faultOf, soapEntry, soapInward, soapOutward, versionOf, wsdlEntry } from './soap-door';
import type { Observer, Ports } from './ports';
import { Run, runSeries, stepFailure, type CompiledStep, type FlowRequest } from './run';

/** A caller's request as the gateway hands it over, before anything is parsed. */
export interface Incoming {
  readonly method: string;
  /** Path as received, without query. */
  readonly url: string;
  /** Path parameters, percent-decoded. */
  readonly path: RawValues;
  readonly query: RawValues;
  /** Query string with "?", or empty. */
  readonly search: string;
  /** What a trailing wildcard took. */
  readonly rest: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Body;
}

export interface CallContext {
  readonly ports: Ports;
  readonly environment?: string;
  readonly env: Readonly<Record<string, unknown>>;
  readonly traceId: string;
  /** Headers for every backend call, e.g. traceparent. */
  readonly outbound: Readonly<Record<string, string>>;
  readonly observer?: Observer;
}

export interface Outcome {
  readonly reply: Message;
  readonly backendMs: number;
  /** Set when the reply is a problem that the gateway made. */
  readonly refusal?: Refusal;
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
}

export interface CompiledApi {
  readonly document: FlowDocument;
  readonly doors: readonly CompiledDoor[];
  /** By door name. Guards may differ between doors; flows are shared. */
  readonly operations: ReadonlyMap<string, readonly CompiledOperation[]>;
}

/** Compiles a document to closures. Nothing is parsed per request that could be parsed here. */
export function compileApi(document: FlowDocument): CompiledApi {
  const backends = openBackends(document);
  const types = document.types ?? {};
  const flows = new Map<string, readonly CompiledStep[]>();
  for (const [id, operation] of Object.entries(document.operations)) {
    const steps: CompiledStep[] = [];
    operation.flow.forEach((step, i) => {
      if (step.off) return;
      const at = `/${i}`;
      const context: StepContext = {
        document,
        operationId: id,
        operation,
        at,
        types,
        place: { pointer: `/operations/${id}/flow/${i}` },
        backend: (name) => backends.contexts.get(name),
      };
      const run = stepKind(step.kind).compile(step, context);
      const where = { at, kind: step.kind, name: step.name };
      steps.push({ ...where, run: (r) => guarded(run, r, where) });
    });
    flows.set(id, steps);
  }
  const operations = new Map<string, readonly CompiledOperation[]>();
  for (const door of document.doors) {
    const own = Object.entries(document.operations).map(([id, operation]) =>
      compileOperation(id, operation, document, door, flows.get(id)!, contractOf(operation, backends)),
    );
    operations.set(door.name, [...soapEntries(own, document, door, backends), ...own]);
  }
  return {
    document,
    doors: document.doors.map((d) => ({ name: d.name, path: d.path, hosts: d.hosts ?? [] })),
    operations,
  };
}

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

async function guarded(
  run: CompiledStep['run'],
  r: Run,
  where: { at: string; kind: string; name?: string },
): Promise<void> {
  try {
    await run(r);
  } catch (error) {
    throw stepFailure(where, error);
  }
}

function compileOperation(
  id: string,
  operation: OperationDocument,
  document: FlowDocument,
  door: FlowDocument['doors'][number],
  steps: readonly CompiledStep[],
  contract: ContractOperation | undefined,
): CompiledOperation {
  const soap = contract?.soap;
  const guards = effectiveGuards(document, door, operation, GUARD_ORDER);
  // What may refuse without reading comes first; a body is read, and given its form, only for the schema.
  const checks: CompiledGuard[] = [];
  const schemaChecks: CompiledGuard[] = [];
  const validates = guards.some((g) => g.guard.kind === 'schema');
  for (const { guard } of guards) {
    const compiled = guardKind(guard.kind).compile(guard, { document, operation });
    if (compiled) (guard.kind === 'schema' ? schemaChecks : checks).push(compiled);
  }
  const shape = compileShape(door, operation, document.types ?? {});
  const parse = compileParameters(operation.parameters ?? [], document.types ?? {});
  return {
    id,
    document: operation,
    guards,
    method: operation.method,
    path: operation.path,
    async handle(incoming, context) {
      const { request, faults } = flowRequest(incoming, parse);
      const run = new Run(request, context.ports, context.env, context.environment, context.outbound, context.observer);
      const accept = incoming.headers.accept;
      try {
        for (const check of checks) {
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
        await runSeries(steps, run);
        if (run.message.status === undefined)
          throw new Refusal('HNG-420', {
            detail: 'A step of the flow failed. The trace says which.',
            inner: 'the flow ended without a reply: the last message is still a request',
          });
        if (soap)
          return { reply: soapOutward(run.message, soap, callerVersion(run, incoming)), backendMs: run.backendMs };
        if (run.message.body.pending) return { reply: run.message, backendMs: run.backendMs };
        return { reply: shape.outward(run.message, accept), backendMs: run.backendMs };
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
          return { reply: fault, backendMs: run.backendMs, refusal };
        }
        const reply = shape.outward(refusalMessage(refusal, incoming.url, context.traceId), accept);
        return { reply, backendMs: run.backendMs, refusal };
      }
    },
  };
}

/** The version in which the caller is answered: that of its envelope, or what its content type says. */
function callerVersion(run: Run, incoming: Incoming): SoapVersion {
  const format = run.firstMessage.format;
  return format === 'SOAP 1.1' || format === 'SOAP 1.2'
    ? (format.slice(5) as SoapVersion)
    : versionOf(incoming.headers);
}

function flowRequest(
  incoming: Incoming,
  parse: ReturnType<typeof compileParameters>,
): { request: FlowRequest; faults: readonly InputFault[] } {
  const parsed = parse(incoming.path, incoming.query, incoming.headers);
  const message: Message = {
    method: incoming.method,
    path: incoming.url + incoming.search,
    headers: incoming.headers,
    body: incoming.body,
    format:
      incoming.body.mediaType === undefined
        ? undefined
        : /json/i.test(incoming.body.mediaType)
          ? 'JSON'
          : incoming.body.mediaType,
  };
  const request: FlowRequest = {
    message,
    method: incoming.method,
    path: parsed.path,
    query: parsed.query,
    cookies: parsed.cookie,
    headerParameters: parsed.header,
    rest: incoming.rest,
    search: incoming.search,
  };
  return { request, faults: parsed.faults };
}

/** A refusal as a message (RFC 9457). */
export function refusalMessage(refusal: Refusal, instance: string, traceId: string): Message {
  if (refusal.options.reply) return refusal.options.reply;
  const problem = problemOf(refusal, instance, traceId);
  const headers: Record<string, string> = { ...refusal.options.headers, 'content-type': 'application/problem+json' };
  return {
    status: refusal.status,
    headers,
    body: Body.ofText(writeJson(problem), 'application/problem+json'),
    format: 'problem',
  };
}
