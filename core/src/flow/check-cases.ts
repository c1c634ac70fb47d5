import { finding, type Finding } from '../problem';
import {
  ValidatorSet,
  collectFaults,
  escapePointer,
  replySide,
  replyTypes,
  requestSide,
  requestTypes,
  type TypeTable,
} from '../schema';
import { queryNames } from './parameters';
import { isJson } from '../message/headers';
import type { CaseDocument, FlowDocument, OperationDocument } from './document';

/** Cases and examples: they name what exists, and hold nothing that nobody reads. */
export function checkCases(document: FlowDocument, report: (f: Finding) => void): void {
  const seen = new Set<string>();
  (document.cases ?? []).forEach((c, i) => {
    const operation = document.operations[c.operation];
    const at = (member: string) => ({ pointer: `/cases/${i}/${member}` });
    if (!operation)
      report(
        finding(
          'HNG-302',
          `the case "${c.name}" is for an operation ${c.operation} that does not exist`,
          at('operation'),
        ),
      );
    const key = `${c.operation} ${c.name}`;
    if (seen.has(key))
      report(
        finding(
          'HNG-302',
          `two cases of ${c.operation} are called "${c.name}"`,
          at('name'),
          'Give each case a name of its own.',
        ),
      );
    seen.add(key);
    if (c.door !== undefined && !document.doors.some((d) => d.name === c.door))
      report(finding('HNG-302', `the case "${c.name}" comes in by a door ${c.door} that does not exist`, at('door')));
    (c.stubs ?? []).forEach((s, n) => {
      if (!document.backends?.[s.backend])
        report(
          finding(
            'HNG-302',
            `a stub of "${c.name}" stands for a backend ${s.backend} that does not exist`,
            at(`stubs/${n}/backend`),
          ),
        );
    });
    if (operation) unread(c, operation, i, document.types ?? {}, report);
  });
  for (const [id, operation] of Object.entries(document.operations)) checkExamples(id, operation, document, report);
}

/** Values for parameters that the operation does not have. */
function unread(
  c: CaseDocument,
  operation: OperationDocument,
  i: number,
  types: TypeTable,
  report: (f: Finding) => void,
): void {
  const open = operation.path.includes('*') || operation.method === 'ANY' || operation.soap;
  if (open) return;
  let names: ((name: string) => boolean) | undefined;
  const isPart = (name: string) => (names ??= queryNames(operation.parameters ?? [], types))(name);
  for (const member of ['path', 'query', 'cookies'] as const)
    for (const name of Object.keys(c.request[member] ?? {}))
      if (
        !operation.parameters?.some((p) => p.in === (member === 'cookies' ? 'cookie' : member) && p.name === name) &&
        !(member === 'query' && isPart(name))
      )
        report(
          finding(
            'HNG-322',
            `the case "${c.name}" gives the ${member} value ${name}, which ${c.operation} does not have`,
            {
              pointer: `/cases/${i}/request/${member}/${escapePointer(name)}`,
            },
          ),
        );
}

function checkExamples(id: string, o: OperationDocument, document: FlowDocument, report: (f: Finding) => void): void {
  const all = document.types ?? {};
  const sides = { request: [requestTypes, requestSide], reply: [replyTypes, replySide] } as const;
  const judge = (member: 'request' | 'reply') => {
    const side = o[member];
    if (!side?.schema || !side.examples || !isJson(side.mediaType ?? 'application/json')) return;
    const [typesOf, sided] = sides[member];
    const validate = new ValidatorSet(typesOf(all)).compile(sided(side.schema, all));
    for (const [name, example] of Object.entries(side.examples)) {
      const status = (example as { status?: number }).status;
      if (member === 'reply' && status !== undefined && status !== (o.reply?.status ?? 200)) continue;
      const first = collectFaults(validate, example.value)[0];
      if (first)
        report(
          finding('HNG-324', `the example ${name} of ${id}: ${first.pointer || '/'} ${first.detail}`, {
            pointer: `/operations/${id}/${member}/examples/${name}`,
          }),
        );
    }
  };
  judge('request');
  judge('reply');
}
