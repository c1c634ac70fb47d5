import { typeRows, type JsonSchema, type TypeRow, type TypeTable } from '../schema';
import type { MessageType, StepContext } from '../steps/kind';
import { targetOf } from '../steps/map/map';
import { stepKind } from '../steps/registry';
import { openBackends } from './contracts';
import type { FlowDocument, OperationDocument } from './document';

/** What is known of the messages around one step, as rows. Pointers start with /body, /path, /query, /headers or /soapHeader. */
export interface StepTyping {
  readonly at: string;
  readonly beforeWords: string;
  readonly before: readonly TypeRow[];
  readonly afterWords: string;
  readonly after: readonly TypeRow[];
}

const ROWS = 600;

/** Types of the messages along one operation's flow: for trees, joining and completion. */
export function typeFlow(document: FlowDocument, operationId: string): StepTyping[] {
  const operation = document.operations[operationId];
  if (!operation) return [];
  const backends = openBackends(document);
  const types = document.types ?? {};
  let before: MessageType = { body: operation.request?.schema, types, words: "the caller's request", isReply: false };
  let rows = requestRows(operation, types);
  return operation.flow.map((step, i): StepTyping => {
    const context: StepContext = {
      document,
      operationId,
      operation,
      at: `/${i}`,
      types,
      place: {},
      backend: (name) => backends.contexts.get(name),
    };
    const beforeWords = before.words;
    const beforeRows = rows;
    if (!step.off) {
      before = stepKind(step.kind).check(step, context, before, () => undefined);
      if (step.kind === 'map') {
        const target = targetOf(step, context);
        const typed = 'severity' in target ? [] : argumentRows(target.schema, target.types);
        rows = [...writtenHeaders(step.fields ?? []), ...typed];
      } else if (step.kind !== 'set') rows = before.body ? bodyRows(before.body, before.types) : [];
    }
    return { at: `/${i}`, beforeWords, before: beforeRows, afterWords: before.words, after: rows };
  });
}

function bodyRows(body: JsonSchema, types: TypeTable): TypeRow[] {
  return typeRows({ properties: { body } }, types, ROWS)
    .filter((r) => r.pointer !== '/body')
    .map((r) => ({ ...r, depth: r.depth - 1 }));
}

function argumentRows(schema: JsonSchema, types: TypeTable): TypeRow[] {
  return typeRows(schema, types, ROWS)
    .filter((r) => !['/body', '/soapHeader', '/headers', '/status'].includes(r.pointer))
    .map((r) => ({ ...r, depth: r.depth - 1 }));
}

/** HTTP header fields and the status are in no schema; those that the map sets are shown. */
function writtenHeaders(fields: readonly { to: string }[]): TypeRow[] {
  return fields
    .filter((f) => f.to.startsWith('/headers/') || f.to === '/status')
    .map((f) => ({
      pointer: f.to,
      name: f.to.split('/').pop()!,
      depth: 0,
      words: 'string',
      required: false,
      many: false,
      nullable: false,
      leaf: true,
    }));
}

function requestRows(operation: OperationDocument, types: TypeTable): TypeRow[] {
  const parameters = (operation.parameters ?? []).flatMap((p) =>
    typeRows({ properties: { [p.name]: p.schema }, required: p.required ? [p.name] : [] }, types, 5).map((r) => ({
      ...r,
      pointer: `/${p.in === 'header' ? 'headers' : p.in}${r.pointer}`,
      description: p.description ?? r.description,
    })),
  );
  return [...parameters, ...(operation.request?.schema ? bodyRows(operation.request.schema, types) : [])];
}
