import { requestTypes, typeRows, type JsonSchema, type TypeRow, type TypeTable } from '../schema';
import type { MessageType } from '../steps/kind';
import { targetOf } from '../steps/map/target';
import type { MapDocument } from '../steps/map/schema';
import { requestSchema } from './request-schema';
import { checkSeries, contextAt, type FlowWorld, type Neighbours } from './context';
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

const ROWS = 5000;

/** Types of the messages along one operation's flow, steps inside steps too: for trees, joining and completion. */
export function typeFlow(document: FlowDocument, operationId: string, neighbours?: Neighbours): StepTyping[] {
  const operation = document.operations[operationId];
  if (!operation) return [];
  const types = document.types ?? {};
  const body = requestSchema(operation, types);
  const start: MessageType = { body, types: requestTypes(types), words: "the caller's request", isReply: false };
  const out: StepTyping[] = [];
  const made = new Map<MessageType, readonly TypeRow[]>([[start, requestRows(operation, types)]]);
  const rowsOf = (type: MessageType): readonly TypeRow[] => {
    let rows = made.get(type);
    if (!rows) made.set(type, (rows = type.body ? bodyRows(type.body, type.types) : []));
    return rows;
  };
  const world: FlowWorld = {
    document,
    backends: openBackends(document),
    operationId,
    operation,
    root: '',
    neighbours,
    seen(at, step, before, after) {
      if (step.kind === 'map' && !step.off) {
        const target = targetOf(step, contextAt(world, at));
        const typed = 'severity' in target ? [] : argumentRows(target.schema, target.types, step);
        made.set(after, [...writtenHeaders(step.fields ?? []), ...typed]);
      }
      out.push({
        at,
        beforeWords: before.words,
        before: rowsOf(before),
        afterWords: after.words,
        after: rowsOf(after),
      });
    },
  };
  checkSeries(world, operation.flow, '', start, () => undefined);
  return out;
}

function bodyRows(body: JsonSchema, types: TypeTable): TypeRow[] {
  return typeRows({ properties: { body } }, types, ROWS)
    .filter((r) => r.pointer !== '/body')
    .map((r) => ({ ...r, depth: r.depth - 1 }));
}

/** Of a body that need not be, and that the map does not make, nothing is needed. */
function argumentRows(schema: JsonSchema, types: TypeTable, step: MapDocument): TypeRow[] {
  const made =
    (schema.required?.includes('body') ?? false) ||
    step.whole !== undefined ||
    step.fields?.some((f) => f.to === '/body' || f.to.startsWith('/body/'));
  return typeRows(schema, types, ROWS)
    .filter((r) => !['/body', '/soapHeader', '/headers', '/cookies', '/path', '/query', '/status'].includes(r.pointer))
    .map((r) => ({
      ...r,
      depth: r.depth - 1,
      ...(!made && r.pointer.startsWith('/body/') && { required: false }),
    }));
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
      pointer: `/${p.in === 'header' ? 'headers' : p.in === 'cookie' ? 'cookies' : p.in}${r.pointer}`,
      description: p.description ?? r.description,
    })),
  );
  const body = requestSchema(operation, types);
  return [...parameters, ...(body ? bodyRows(body, requestTypes(types)) : [])];
}
