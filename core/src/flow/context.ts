import { bodiesOfRequest, requestSchema } from './request-schema';
import type { ContractOperation } from '../contract';
import { stepKind } from '../steps/registry';
import { requestTypes } from '../schema';
import type { InnerOperation, MessageType, StepContext } from '../steps/kind';
import { finding, type Finding } from '../problem';
import type { BackendSet } from './contracts';
import type { FlowDocument, OperationDocument, StepDocument } from './document';
import { namesInReach } from './set-names';
import { walkFlow } from './walk';
import { stepFailure, type CompiledStep, type Run } from './run';

export { partsOf, walkFlow } from './walk';

/** Documents of the APIs that run beside this one, by their name on the gateway. */
export type Neighbours = (api: string) => FlowDocument | undefined;

export interface FlowWorld {
  readonly document: FlowDocument;
  readonly backends: BackendSet;
  readonly operationId: string;
  readonly operation: OperationDocument;
  /** Where flow `at` pointers start in the document. */
  readonly root: string;
  readonly neighbours?: Neighbours;
  /** Told of the type before every step, when somebody wants to know. */
  readonly seen?: (at: string, step: StepDocument, before: MessageType, after: MessageType) => void;
}

/** What a step at `at` knows, the steps inside it included. */
export function contextAt(world: FlowWorld, at: string): StepContext {
  return {
    document: world.document,
    operationId: world.operationId,
    operation: world.operation,
    at,
    types: world.document.types ?? {},
    place: { pointer: `${world.root}${at}` },
    backend: (name) => world.backends.contexts.get(name),
    knowsApis: world.neighbours !== undefined,
    inner: (operation, api) => innerOperation(world, operation, api),
    inReach: () => namesInReach(world.document, world.operationId, at),
    series: (flow, pointer) => compileSeries(world, flow, at + pointer),
    checkSeries: (flow, pointer, before, report) => checkSeries(world, flow, at + pointer, before, report),
  };
}

export function compileSeries(world: FlowWorld, flow: readonly StepDocument[], pointer: string): CompiledStep[] {
  const steps: CompiledStep[] = [];
  flow.forEach((step, i) => {
    if (step.off) return;
    const at = `${pointer}/${i}`;
    const run = stepKind(step.kind).compile(step, contextAt(world, at));
    const where = { at, kind: step.kind, name: step.name };
    steps.push({ ...where, run: (r) => guarded(run, r, where) });
  });
  return steps;
}

/** What fails says where. A step that waits for nothing is not waited for. */
function guarded(
  run: CompiledStep['run'],
  r: Run,
  where: { at: string; kind: string; name?: string },
): void | Promise<void> {
  const tell = (error: unknown): never => {
    throw stepFailure(where, error);
  };
  try {
    return run(r)?.catch(tell);
  } catch (error) {
    return tell(error);
  }
}

export function checkSeries(
  world: FlowWorld,
  flow: readonly StepDocument[],
  pointer: string,
  before: MessageType,
  report: (f: Finding) => void,
): MessageType {
  let type = before;
  flow.forEach((step, i) => {
    const at = `${pointer}/${i}`;
    if (step.off) {
      world.seen?.(at, step, type, type);
      return;
    }
    if (type.ended && !flow.slice(0, i).some((s) => s.kind !== 'reply' && s.off))
      report(
        finding('HNG-315', `${step.name ?? step.kind} comes after the reply that ends the flow`, {
          pointer: `${world.root}${at}`,
        }),
      );
    const after = stepKind(step.kind).check(step, contextAt(world, at), type, report);
    world.seen?.(at, step, type, after);
    type = after;
  });
  return type;
}

/** An operation of an API as other flows see it: its parameters, request and reply as a contract's. */
export function innerOperation(
  world: Pick<FlowWorld, 'document' | 'neighbours'>,
  id: string,
  api: string | undefined,
): InnerOperation | undefined {
  const document = api === undefined ? world.document : world.neighbours?.(api);
  const o = document?.operations[id];
  if (!document || !o) return undefined;
  const mediaType = o.request?.mediaType ?? 'application/json';
  const replyMedia = o.reply?.mediaType ?? 'application/json';
  const operation: ContractOperation = {
    id,
    name: id,
    documentation: o.summary ?? o.description,
    request: { body: requestSchema(o, document.types ?? {}) ?? {}, headers: [], mediaType },
    reply: { body: o.reply?.schema ?? {}, headers: [], mediaType: replyMedia },
    faults: [],
    http: {
      method: o.method === 'ANY' ? 'GET' : o.method,
      path: o.path,
      parameters: (o.parameters ?? []).map((p) => ({
        name: p.name,
        in: p.in,
        required: p.in === 'path' || (p.required ?? false),
        schema: p.schema,
        style: p.style ?? (p.in === 'path' || p.in === 'header' ? 'simple' : 'form'),
        explode: p.explode ?? (p.in === 'query' || p.in === 'cookie'),
        ...(p.mediaType !== undefined && { mediaType: p.mediaType }),
        documentation: p.description,
      })),
      ...(o.request && {
        request: {
          required: o.request.required ?? false,
          media: bodiesOfRequest(o.request).map(({ schema = {}, ...b }) => ({ mediaType, ...b, schema })),
        },
      }),
      replies: [
        { status: String(o.reply?.status ?? 200), media: [{ mediaType: replyMedia, schema: o.reply?.schema ?? {} }] },
      ],
      links: [],
      security: [],
    },
  };
  return { operation, types: requestTypes(document.types ?? {}) };
}

/** Which steps stand where in a flow, and what they call or make: where two flows differ in it, the types of one say nothing of the other. */
export function lineOf(flow: readonly StepDocument[]): string {
  const line: unknown[] = [];
  walkFlow(flow, (step, at, off) => {
    const what =
      step.kind === 'map'
        ? [step.to]
        : step.kind === 'call'
          ? [step.backend ?? null, step.api ?? null, step.operation ?? null]
          : [];
    line.push([at, step.kind, off, ...what]);
  });
  return JSON.stringify(line);
}

/** Names of other APIs that the flows of a document call. */
export function neighbourNames(document: FlowDocument): Set<string> {
  const names = new Set<string>();
  for (const o of Object.values(document.operations))
    walkFlow(o.flow, (step) => {
      if (step.kind === 'call' && step.api !== undefined) names.add(step.api);
      if (step.kind === 'map' && typeof step.to === 'object' && step.to.api !== undefined) names.add(step.to.api);
    });
  return names;
}
