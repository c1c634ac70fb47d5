import { finding, type Finding } from '../problem';
import { resolveSchema } from '../schema';
import type { MessageType, StepContext } from '../steps/kind';
import { stepKind } from '../steps/registry';
import { openBackends, type BackendSet } from './contracts';
import type { FlowDocument, OperationDocument } from './document';

export interface CheckOptions {
  /** Environments that the document will be released to; without any, the plain address counts. */
  readonly environments?: readonly string[];
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
    checkOperation(id, operation, document, backends, report);
  checkCases(document, report);
  return findings;
}

function checkBackends(
  document: FlowDocument,
  backends: BackendSet,
  options: CheckOptions,
  report: (f: Finding) => void,
): void {
  const used = new Set(
    Object.values(document.operations).flatMap((o) =>
      o.flow.filter((s) => s.kind === 'call' && !s.off).map((s) => (s.kind === 'call' ? s.backend : '')),
    ),
  );
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
    for (const f of context.contract?.findings ?? [])
      report({ ...f, place: { ...f.place, pointer: `${pointer}/contract` } });
  }
}

export function isHttpUrl(text: string): boolean {
  return URL.canParse(text) && /^https?:$/.test(new URL(text).protocol);
}

function checkDoors(document: FlowDocument, report: (f: Finding) => void): void {
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
  report: (f: Finding) => void,
): void {
  const types = document.types ?? {};
  const pointer = `/operations/${id}`;
  let before: MessageType = { body: operation.request?.schema, types, words: "the caller's request", isReply: false };
  let last: string | undefined;
  operation.flow.forEach((step, i) => {
    if (step.off) return;
    const context: StepContext = {
      document,
      operationId: id,
      operation,
      at: `/${i}`,
      types,
      place: { pointer: `${pointer}/flow/${i}` },
      backend: (name) => backends.contexts.get(name),
    };
    before = stepKind(step.kind).check(step, context, before, report);
    if (step.kind !== 'set') last = step.kind === 'map' && step.to !== 'reply' ? 'request' : step.kind;
  });
  if (last === undefined || last === 'request')
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

function checkCases(document: FlowDocument, report: (f: Finding) => void): void {
  const seen = new Set<string>();
  (document.cases ?? []).forEach((c, i) => {
    if (!document.operations[c.operation])
      report(
        finding('HNG-302', `the case "${c.name}" is for an operation ${c.operation} that does not exist`, {
          pointer: `/cases/${i}/operation`,
        }),
      );
    const key = `${c.operation} ${c.name}`;
    if (seen.has(key))
      report(
        finding(
          'HNG-302',
          `two cases of ${c.operation} are called "${c.name}"`,
          { pointer: `/cases/${i}/name` },
          'Give each case a name of its own.',
        ),
      );
    seen.add(key);
  });
}
