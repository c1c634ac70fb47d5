import { sampleOf } from '../schema';
import { requestSchema } from './request-schema';
import type { CaseDocument, FlowDocument, OperationDocument, ParameterDocument, StepDocument } from './document';

/** The document without an operation and its cases. Calls to it stay, and become findings. */
export function removeOperation(document: FlowDocument, id: string): FlowDocument {
  const { [id]: _gone, ...operations } = document.operations;
  return { ...document, operations, cases: document.cases?.filter((c) => c.operation !== id) };
}

/** The same document with another name for an operation, in its cases and in the flows that call it too. Order stays. */
export function renameOperation(document: FlowDocument, from: string, to: string): FlowDocument {
  const operations = Object.fromEntries(
    Object.entries(document.operations).map(([id, o]) => [
      id === from ? to : id,
      { ...o, flow: renamed(o.flow, from, to) as StepDocument[] },
    ]),
  );
  return {
    ...document,
    operations,
    cases: document.cases?.map((c) => (c.operation === from ? { ...c, operation: to } : c)),
  };
}

/** Calls and maps without a backend and without an API mean operations of this document. */
function renamed(node: unknown, from: string, to: string): unknown {
  if (Array.isArray(node)) return node.map((x) => renamed(x, from, to));
  if (node === null || typeof node !== 'object') return node;
  const o = Object.fromEntries(Object.entries(node).map(([k, v]) => [k, renamed(v, from, to)])) as Record<
    string,
    unknown
  >;
  const target = (x: Record<string, unknown>) => x.operation === from && x.backend === undefined && x.api === undefined;
  if (o.kind === 'call' && target(o)) return { ...o, operation: to };
  if (o.kind === 'map' && o.to !== null && typeof o.to === 'object' && target(o.to as Record<string, unknown>))
    return { ...o, to: { ...o.to, operation: to } };
  return o;
}

/** Name for an operation from its method and path: GET /berths/{id} → getBerthsById. */
export function idFor(method: string, path: string, taken: (id: string) => boolean): string {
  const parts = path
    .split('/')
    .filter(Boolean)
    .map((p) => (p.startsWith('{') ? `By${capital(p.slice(1, -1))}` : capital(p)));
  const base = (method === 'ANY' ? 'any' : method.toLowerCase()) + parts.join('').replace(/[^A-Za-z0-9_]/g, '');
  for (let n = 1; ; n++) {
    const id = n === 1 ? base : `${base}${n}`;
    if (!taken(id)) return id;
  }
}

const capital = (t: string): string => t.charAt(0).toUpperCase() + t.slice(1);

/** An operation that answers at once: its flow is a mock until a backend is called. */
export function newOperation(method: OperationDocument['method'], path: string): OperationDocument {
  const parameters = [...path.matchAll(/\{([^}]+)\}/g)].map((m): ParameterDocument => ({
    name: m[1]!,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const body = method === 'POST' || method === 'PUT' || method === 'PATCH';
  return {
    method,
    path,
    ...(parameters.length && { parameters }),
    ...(body && {
      request: { mediaType: 'application/json', required: true, schema: { type: 'object', properties: {} } },
    }),
    reply: {
      status: method === 'POST' ? 201 : 200,
      mediaType: 'application/json',
      schema: { type: 'object', properties: {} },
    },
    flow: [{ kind: 'reply', name: 'mock', example: 'auto' }],
  };
}

/** A request to begin with: something for every parameter that is needed, and a body where there is one. */
export function firstCase(id: string, o: OperationDocument): CaseDocument {
  const values = (place: 'path' | 'query') =>
    Object.fromEntries(
      (o.parameters ?? []).flatMap((p) =>
        p.in === place && (place === 'path' || p.required)
          ? [[p.name, sampleOf(p.schema, {}, { name: p.name }) ?? '1']]
          : [],
      ),
    );
  const body = requestSchema(o, {});
  return {
    name: 'sample',
    operation: id,
    request: {
      path: values('path'),
      query: values('query'),
      ...(body && { body: sampleOf(body, {}, { without: 'readOnly' }) ?? {} }),
    },
  };
}
