import type { FlowDocument, JsonSchema, OperationDocument } from '../src';

/** An operation that reads from a backend. */
export const get = (
  path: string,
  schema: JsonSchema,
  backend: string,
  more: Partial<OperationDocument> = {},
): OperationDocument => ({
  method: 'GET',
  path,
  parameters: [...path.matchAll(/\{(\w+)\}/g)].map((m) => ({
    name: m[1]!,
    in: 'path' as const,
    required: true,
    schema: { type: 'string' },
  })),
  reply: { status: 200, mediaType: 'application/json', schema },
  flow: [{ kind: 'call', backend, path: path.replace(/\{(\w+)\}/g, '{{ path.$1 }}') }],
  ...more,
});

export const document = (more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Harbour', version: '3', description: 'Calls and vessels' },
  doors: [{ name: 'graph', path: '/graph', answers: 'graphql' }],
  backends: { calls: { address: 'http://calls.example' }, vessels: { address: 'http://vessels.example' } },
  types: {
    Call: {
      type: 'object',
      description: 'A call at the port',
      properties: {
        number: { type: 'string' },
        'vessel-id': { type: 'string' },
        vesselId: { type: 'string' },
        kind: { type: 'string', enum: ['in-bound', 'outbound', 'true'] },
        day: { type: 'string', format: 'date' },
        tons: { type: 'integer', format: 'int64' },
        notes: { type: ['string', 'null'] },
        extra: {},
      },
      required: ['number', 'vesselId', 'kind', 'tons', 'notes'],
    },
    Vessel: {
      type: 'object',
      properties: { id: { type: 'string' }, name: { type: 'string' }, metres: { type: 'number' } },
      required: ['id', 'name'],
    },
    NewCall: {
      type: 'object',
      properties: {
        'vessel-id': { type: 'string' },
        kind: { type: 'string', enum: ['in-bound', 'outbound', 'true'] },
        tons: { type: 'integer', format: 'int64' },
      },
      required: ['vessel-id'],
    },
  },
  operations: {
    listCalls: get('/calls', { type: 'array', items: { $ref: '#/types/Call' } }, 'calls', {
      summary: 'All calls',
      flow: [
        { kind: 'call', backend: 'calls', path: '/calls?kind={{ query.kind }}&page-size={{ query.`page-size` }}' },
      ],
      parameters: [
        { name: 'kind', in: 'query', schema: { type: 'string' } },
        { name: 'page-size', in: 'query', schema: { type: 'integer', format: 'int32' } },
      ],
    }),
    getVessel: get('/vessels/{vesselId}', { $ref: '#/types/Vessel' }, 'vessels'),
    addCall: get('/calls', { $ref: '#/types/Call' }, 'calls', {
      method: 'POST',
      parameters: [],
      request: { mediaType: 'application/json', required: true, schema: { $ref: '#/types/NewCall' } },
    }),
    dropCall: {
      method: 'DELETE',
      path: '/calls/{number}',
      parameters: [{ name: 'number', in: 'path', required: true, schema: { type: 'string' } }],
      flow: [{ kind: 'call', backend: 'calls', path: '/calls/{{ $encodeUrlComponent(path.number) }}' }],
    },
    hidden: { method: 'GET', path: '/hidden', internal: true, flow: [] },
  },
  graph: { joins: [{ type: 'Call', field: 'vessel', operation: 'getVessel', with: { vesselId: 'vesselId' } }] },
  ...more,
});
