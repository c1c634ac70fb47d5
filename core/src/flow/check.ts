import { requestSchema } from './request-schema';
import { checkCredentials } from '../credentials';
import { checkBackground, checkTopics } from '../events/check';
import { checkGuards } from '../guards/check';
import { isHttpUrl } from '../message/url';
import { finding, type Finding } from '../problem';
import { graphLimits } from '../graph/execute';
import { checkFields } from '../graph/field-checks';
import { graphOf } from '../graph/graph';
import { checkQueries } from '../graph/kept';
import { requestTypes, resolveSchema } from '../schema';
import type { MessageType } from '../steps/kind';
import { checkCases } from './check-cases';
import { checkInnerCalls, checkSecrets } from './check-more';
import { checkBraces, checkNames, checkOrder, checkPlans, lostReferences } from './check-texts';
import { checkSeries, walkFlow, type Neighbours } from './context';
import { openBackends, type BackendSet } from './contracts';
import type { FlowDocument, OperationDocument } from './document';

export interface CheckOptions {
  /** Environments that the document will be released to; without any, the plain address counts. */
  readonly environments?: readonly string[];
  /** The other APIs of the gateway, where they are known. */
  readonly neighbours?: Neighbours;
}

/** Every finding of a document, in document order. Collected, never thrown. */
export function checkDocument(document: FlowDocument, options: CheckOptions = {}): Finding[] {
  const findings: Finding[] = [];
  const report = (f: Finding) => void findings.push(f);
  const backends = openBackends(document);
  checkBackends(document, backends, options, report);
  checkDoors(document, report);
  checkPaths(document, report);
  for (const [id, operation] of Object.entries(document.operations))
    checkOperation(id, operation, document, backends, options, report);
  checkDoorSteps(document, backends, options, report);
  checkInnerCalls(document, options.neighbours, report);
  checkSecrets(document, report);
  checkNames(document, report);
  checkPlans(document, report);
  checkOrder(document, report);
  checkBraces(document, report);
  lostReferences(document).forEach(report);
  checkCases(document, report);
  checkGuards(document, report);
  checkTopics(document, options.environments, report);
  checkBackground(document, report);
  if (document.doors.some((d) => d.answers === 'graphql')) {
    const { schema, findings: told } = graphOf(document);
    told.forEach(report);
    checkQueries(document, schema, graphLimits(document), report);
    checkFields(document, schema, report);
  }
  return findings;
}

function checkBackends(
  document: FlowDocument,
  backends: BackendSet,
  options: CheckOptions,
  report: (f: Finding) => void,
): void {
  const used = usedBackends(document);
  for (const name of Object.keys(document.backends ?? {})) {
    const pointer = `/backends/${name}`;
    const failure = backends.failures.get(name);
    if (failure) report({ ...failure, place: { ...failure.place, pointer: `${pointer}/contract` } });
    const context = backends.contexts.get(name)!;
    for (const environment of options.environments?.length ? options.environments : [undefined]) {
      if (!used.has(name)) continue;
      const address = context.addressFor(environment);
      const where = environment ? ` in ${environment}` : '';
      if (!address)
        report(
          finding('HNG-301', `the backend ${name} has no address${where}`, {
            pointer: environment ? `${pointer}/addresses/${environment}` : `${pointer}/address`,
          }),
        );
      else if (!isHttpUrl(address))
        report(
          finding('HNG-301', `"${address}" is no http or https address of the backend ${name}${where}`, {
            pointer: `${pointer}/address`,
          }),
        );
    }
    checkCredentials(name, context.document, context.contract, calledOperations(document, name), report);
    for (const f of context.contract?.findings ?? [])
      report({ ...f, place: { ...f.place, pointer: `${pointer}/contract` } });
  }
}

/** Backends that some call of the document reaches by their own address. */
/** Operations of a backend that flows call, by id. */
function calledOperations(document: FlowDocument, backend: string): Set<string> {
  const called = new Set<string>();
  const visit = (flow: FlowDocument['operations'][string]['flow'] | undefined) =>
    walkFlow(flow ?? [], (step, _at, off) => {
      if (!off && step.kind === 'call' && step.backend === backend && step.operation) called.add(step.operation);
    });
  for (const o of Object.values(document.operations)) visit(o.flow);
  for (const d of document.doors) {
    visit(d.before);
    visit(d.after);
  }
  return called;
}

function usedBackends(document: FlowDocument): Set<string> {
  const used = new Set<string>();
  const visit = (flow: FlowDocument['operations'][string]['flow'] | undefined) =>
    walkFlow(flow ?? [], (step, _at, off) => {
      if (off || step.kind !== 'call' || step.backend === undefined) return;
      if (!step.routes?.length || step.routes.some((r) => r.address === undefined && !r.shares)) used.add(step.backend);
    });
  for (const o of Object.values(document.operations)) visit(o.flow);
  for (const d of document.doors) {
    visit(d.before);
    visit(d.after);
  }
  return used;
}

/** Steps of doors: what comes to them is known of no operation in particular. */
function checkDoorSteps(
  document: FlowDocument,
  backends: BackendSet,
  { neighbours }: CheckOptions,
  report: (f: Finding) => void,
): void {
  const types = document.types ?? {};
  document.doors.forEach((door, n) => {
    for (const part of ['before', 'after'] as const) {
      const operation: OperationDocument = { method: 'ANY', path: '/*', flow: [] };
      const root = `/doors/${n}/${part}`;
      const words = part === 'before' ? "the caller's request" : 'the reply';
      const before: MessageType = { types, words, isReply: part === 'after' };
      const world = { document, backends, neighbours, operationId: `door ${door.name}`, operation, root };
      checkSeries(world, door[part] ?? [], '', before, report);
    }
  });
}

function checkDoors(document: FlowDocument, report: (f: Finding) => void): void {
  if (!document.doors.length)
    report(finding('HNG-325', `${document.api.name} has no door; only other flows call it`, { pointer: '/doors' }));
  const seen = new Map<string, number>();
  document.doors.forEach((door, i) => {
    const key = `${(door.hosts ?? []).join(' ')} ${door.path.replace(/\/$/, '')}`;
    const first = seen.get(key);
    if (first !== undefined)
      report(
        finding(
          'HNG-311',
          `the doors ${document.doors[first]!.name} and ${door.name} share the base path ${door.path}`,
          { pointer: `/doors/${i}/path` },
        ),
      );
    else seen.set(key, i);
  });
}

/** Names of parameters do not tell two paths apart. */
export function pathShape(method: string, path: string): string {
  return `${method} ${path.replace(/\{[^}]*\}/g, '{}').replace(/(.)\/$/, '$1')}`;
}

function checkPaths(document: FlowDocument, report: (f: Finding) => void): void {
  const seen = new Map<string, string>();
  for (const [id, operation] of Object.entries(document.operations)) {
    if (operation.internal) continue;
    const shape = pathShape(operation.method, operation.path);
    const first = seen.get(shape);
    // Operations of a SOAP door share their path: the envelope tells them apart.
    if (first !== undefined && !(operation.soap && document.operations[first]?.soap))
      report(
        finding('HNG-305', `${first} and ${id} both answer ${operation.method} ${operation.path}`, {
          pointer: `/operations/${id}/path`,
        }),
      );
    else seen.set(shape, id);
    const named = [...operation.path.matchAll(/\{([^}]*)\}/g)].map((m) => m[1]!);
    const declared = (operation.parameters ?? []).filter((p) => p.in === 'path').map((p) => p.name);
    for (const name of named)
      if (!declared.includes(name))
        report(
          finding('HNG-306', `the path of ${id} names {${name}}, which is no path parameter`, {
            pointer: `/operations/${id}/path`,
          }),
        );
    for (const name of declared)
      if (!named.includes(name))
        report(
          finding('HNG-306', `the path of ${id} lacks {${name}}, which is declared as a path parameter`, {
            pointer: `/operations/${id}/path`,
          }),
        );
  }
}

function checkOperation(
  id: string,
  operation: OperationDocument,
  document: FlowDocument,
  backends: BackendSet,
  options: CheckOptions,
  report: (f: Finding) => void,
): void {
  const types = document.types ?? {};
  const pointer = `/operations/${id}`;
  const before: MessageType = {
    body: requestSchema(operation, types),
    types: requestTypes(types),
    words: "the caller's request",
    isReply: false,
  };
  const world = { document, backends, operationId: id, operation, neighbours: options.neighbours };
  const end = checkSeries({ ...world, root: `${pointer}/flow` }, operation.flow, '', before, report);
  if (!end.isReply)
    report(finding('HNG-308', `the flow of ${id} ends without a reply`, { pointer: `${pointer}/flow` }));
  const reply = operation.reply;
  if (reply?.schema && !reply.mediaType && Object.keys(resolveSchema(reply.schema, types)).length) {
    report(
      finding('HNG-307', `the reply of ${id} has a body but no content type`, {
        pointer: `${pointer}/reply/mediaType`,
      }),
    );
  }
}
