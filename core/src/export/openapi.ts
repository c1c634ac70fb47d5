import type { BodyDocument, FlowDocument, OperationDocument } from '../flow/document';
import { walkFlow } from '../flow/context';
import { openBackends, type BackendSet } from '../flow/contracts';
import { inForms } from './forms';
import { effectiveGuards, type EffectiveGuard } from '../guards/kind';
import { GUARD_ORDER, guardKind } from '../guards/registry';
import type { JsonSchema, TypeTable } from '../schema';

/** The caller-facing contract of an API as an OpenAPI 3.1.0 document. Plain JSON. */
export function exportOpenApi(document: FlowDocument, options: { server?: string } = {}): Record<string, unknown> {
  const backends = openBackends(document);
  const door = document.doors[0];
  const schemas: TypeTable = {};
  for (const [name, schema] of Object.entries(document.types ?? {})) schemas[name] = outward(schema);
  schemas.Problem = { ...(schemas.Problem ?? PROBLEM) };
  const problemName = document.types?.Problem ? 'GatewayProblem' : 'Problem';
  if (problemName !== 'Problem') schemas[problemName] = PROBLEM;
  const paths: Record<string, Record<string, unknown>> = {};
  const securitySchemes: Record<string, unknown> = {};
  for (const [id, operation] of Object.entries(document.operations)) {
    if (!isDescribed(operation)) continue;
    const asked = door ? securityOf(effectiveGuards(document, door, operation, GUARD_ORDER)) : {};
    Object.assign(securitySchemes, asked);
    (paths[operation.path] ??= {})[operation.method.toLowerCase()] = {
      ...inForms(operationOf(id, operation, document, backends, problemName), door, document.types ?? {}),
      // All of them: what one guard lets in the next one may refuse.
      ...(Object.keys(asked).length > 0 && {
        security: [Object.fromEntries(Object.keys(asked).map((name) => [name, []]))],
      }),
    };
  }
  return {
    ...openApiHead(document),
    servers: [{ url: `${options.server ?? ''}${door?.path ?? '/'}`.replace(/(.)\/$/, '$1') }],
    paths,
    components: { schemas, ...(Object.keys(securitySchemes).length > 0 && { securitySchemes }) },
  };
}

/** Security Scheme Objects (OpenAPI 3.1 §4.8.27) of the guards that ask a caller who it is, by the name of the guard. */
function securityOf(guards: readonly EffectiveGuard[]): Record<string, Readonly<Record<string, string>>> {
  return Object.fromEntries(
    guards.flatMap(({ guard }) => {
      const scheme = guardKind(guard.kind).scheme?.(guard);
      return scheme ? [[guard.kind, scheme]] : [];
    }),
  );
}

/** Version and Info Object (OpenAPI 3.1 §4.8.1, §4.8.2). */
export const openApiHead = ({ api }: FlowDocument): Record<string, unknown> => ({
  openapi: '3.1.0',
  info: { title: api.name, version: api.version, ...(api.description && { description: api.description }) },
});

/** Operations that OpenAPI can describe: no proxy for any path or method, nothing that speaks SOAP. */
export const isDescribed = (o: OperationDocument): boolean =>
  !o.internal && o.method !== 'ANY' && !o.path.includes('*') && !o.soap;

/** RFC 9457 §3, with the members that this gateway adds. */
const PROBLEM: JsonSchema = {
  type: 'object',
  description: 'What went wrong (RFC 9457)',
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    instance: { type: 'string' },
    traceId: { type: 'string' },
    backend: { type: 'string' },
    errors: {
      type: 'array',
      items: {
        type: 'object',
        properties: {
          pointer: { type: 'string' },
          parameter: { type: 'string' },
          detail: { type: 'string' },
          code: { type: 'string' },
        },
        required: ['detail', 'code'],
      },
    },
    fault: {
      type: 'object',
      properties: { code: { type: 'string' }, reason: { type: 'string' }, detail: {} },
      required: ['code', 'reason'],
    },
  },
  required: ['type', 'title', 'status'],
};

function operationOf(
  id: string,
  o: OperationDocument,
  document: FlowDocument,
  backends: BackendSet,
  problemName: string,
): AuthoredOperation {
  const sample = document.cases?.find((c) => c.operation === id)?.request;
  const problem = { 'application/problem+json': { schema: { $ref: `#/components/schemas/${problemName}` } } };
  const own = authoredOperation(id, o);
  const responses: AuthoredOperation['responses'] = {
    '400': { description: 'The request breaks the contract', content: problem },
  };
  for (const [faultStatus, faults] of faultsOf(o, backends)) {
    responses[faultStatus] = {
      description: [...faults.keys()].join(', '),
      content: {
        'application/problem+json': {
          schema: {
            allOf: [
              { $ref: `#/components/schemas/${problemName}` },
              { properties: { fault: { properties: { detail: detailSchema([...faults.values()]) } } } },
            ],
          },
        },
      },
    };
  }
  Object.assign(responses, own.responses);
  responses.default ??= { description: 'Any other problem', content: problem };
  const media = Object.values(own.requestBody?.content ?? {})[0];
  if (media && !media.examples && sample?.body !== undefined) media.example = sample.body;
  return { ...own, responses };
}

export interface AuthoredOperation {
  operationId: string;
  summary?: string;
  description?: string;
  tags?: string[];
  parameters?: Record<string, unknown>[];
  requestBody?: { description?: string; required?: true; content: Record<string, Record<string, unknown>> };
  responses: Record<
    string,
    { description: string; headers?: Record<string, object>; content?: Record<string, Record<string, unknown>> }
  >;
}

/** What a reply is called that nobody described: an Operation Object must say something (OpenAPI 3.1 §4.8.17). */
export const NO_WORDS = 'Done';

/** What a person said of an operation, as an Operation Object: nothing that the gateway adds by itself. */
export function authoredOperation(id: string, o: OperationDocument): AuthoredOperation {
  const content = (part: { mediaType?: string; schema?: JsonSchema }, examples: Record<string, unknown> = {}) => ({
    [part.mediaType ?? 'application/json']: { ...(part.schema && { schema: outward(part.schema) }), ...examples },
  });
  const responses: AuthoredOperation['responses'] = {
    [String(o.reply?.status ?? 200)]: {
      description: o.reply?.description ?? NO_WORDS,
      ...headersOf(o.reply?.headers),
      ...((o.reply?.schema || o.reply?.mediaType) && { content: content(o.reply, examplesOf(o.reply.examples)) }),
    },
  };
  for (const [other, r] of Object.entries(o.otherReplies ?? {}))
    responses[other] = {
      description: r.description ?? 'Another reply',
      ...headersOf(r.headers),
      ...(r.mediaType && { content: content(r) }),
    };
  return {
    operationId: id,
    ...(o.summary && { summary: o.summary }),
    ...(o.description && { description: o.description }),
    ...(o.tags && { tags: o.tags }),
    ...(o.parameters?.length && {
      parameters: o.parameters.map((p) => ({
        name: p.name,
        in: p.in,
        ...(p.description && { description: p.description }),
        ...((p.required || p.in === 'path') && { required: true }),
        ...(p.style && { style: p.style }),
        ...(p.explode !== undefined && { explode: p.explode }),
        ...(p.mediaType === undefined
          ? { schema: outward(p.schema) }
          : { content: { [p.mediaType]: { schema: outward(p.schema) } } }),
      })),
    }),
    ...(o.request && {
      requestBody: {
        ...(o.request.description && { description: o.request.description }),
        ...(o.request.required && { required: true }),
        content: {
          ...content(o.request, { ...encodingOf(o.request), ...examplesOf(o.request.examples) }),
          ...Object.assign({}, ...(o.request.others ?? []).map((b) => content(b, encodingOf(b)))),
        },
      },
    }),
    responses,
  };
}

/** Header Objects (OpenAPI 3.1 §4.8.21). */
const headersOf = (
  headers: NonNullable<OperationDocument['reply']>['headers'],
): { headers?: Record<string, object> } =>
  headers && Object.keys(headers).length
    ? { headers: Object.fromEntries(Object.entries(headers).map(([n, h]) => [n, { ...h, schema: outward(h.schema) }])) }
    : {};

/** Encoding objects (OpenAPI 3.1 §4.8.15). */
function encodingOf({ encoding = {}, styles = {} }: BodyDocument) {
  const parts = Object.fromEntries(
    Object.keys({ ...encoding, ...styles }).map((part) => [
      part,
      { ...(encoding[part] !== undefined && { contentType: encoding[part] }), ...styles[part] },
    ]),
  );
  return Object.keys(parts).length ? { encoding: parts } : {};
}

/** Example objects (OpenAPI 3.1 §4.8.19). Those of another status stand elsewhere. */
function examplesOf(
  examples: Readonly<Record<string, { summary?: string; status?: number; value?: unknown }>> | undefined,
) {
  const own = Object.entries(examples ?? {}).filter(([, e]) => e.status === undefined);
  if (!own.length) return {};
  return {
    examples: Object.fromEntries(
      own.map(([name, e]) => [name, { ...(e.summary && { summary: e.summary }), value: e.value }]),
    ),
  };
}

/** Details that are not inlined: a type of the contract need not be among the types of the API. */
function detailSchema(schemas: readonly JsonSchema[]): JsonSchema {
  return schemas.length === 1 ? schemas[0]! : { anyOf: [...schemas] };
}

function faultsOf(o: OperationDocument, backends: BackendSet): Map<string, Map<string, JsonSchema>> {
  const out = new Map<string, Map<string, JsonSchema>>();
  walkFlow(o.flow, (step) => {
    if (step.kind !== 'call' || !step.operation || step.backend === undefined) return;
    const contract = backends.contexts.get(step.backend)?.contract;
    const op = contract?.operations.find((x) => x.id === step.operation);
    for (const f of op?.faults ?? []) {
      const mapped = step.faults?.[f.name];
      if (!mapped) continue;
      const status = String(mapped.status);
      if (!out.has(status)) out.set(status, new Map());
      out.get(status)!.set(f.name, outward(inline(f.schema, contract!.types)));
    }
  });
  return out;
}

/** Opens references into a contract's own types, two levels deep; recursion ends in the empty schema. */
function inline(schema: JsonSchema, types: TypeTable, depth = 4): JsonSchema {
  if (depth === 0) return {};
  if (schema.$ref?.startsWith('#/types/')) {
    const { $ref, ...beside } = schema;
    return { ...inline(types[$ref.slice('#/types/'.length)] ?? {}, types, depth - 1), ...beside };
  }
  const out: JsonSchema = { ...schema };
  if (out.properties)
    out.properties = Object.fromEntries(Object.entries(out.properties).map(([k, s]) => [k, inline(s, types, depth)]));
  if (out.items) out.items = inline(out.items, types, depth);
  if (out.anyOf) out.anyOf = out.anyOf.map((s) => inline(s, types, depth));
  return out;
}

/** `#/types/X` as the published document calls it; names keep to what a component key allows (OpenAPI 3.1 §4.8.7). */
export function outward<T>(node: T): T {
  if (Array.isArray(node)) return node.map(outward) as T;
  if (node === null || typeof node !== 'object') return node;
  const out: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(node)) {
    // References stand in $ref, and as values of a discriminator's mapping.
    out[key] =
      typeof value === 'string' && value.startsWith('#/types/')
        ? `#/components/schemas/${value.slice('#/types/'.length)}`
        : outward(value);
  }
  return out as T;
}
