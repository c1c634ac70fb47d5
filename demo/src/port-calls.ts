import type { FlowDocument, JsonSchema, StepDocument } from '@hinge/core';

const text: JsonSchema = { type: 'string' };
const call = (backend: string, operation: string, more: object = {}): StepDocument =>
  ({ kind: 'call', backend, operation, ...more }) as StepDocument;
const ask = (backend: string, operation: string, fields: Record<string, string>): StepDocument => ({
  kind: 'map',
  to: { backend, operation },
  fields: Object.entries(fields).map(([to, from]) => ({ to, from })),
});

/** One call instead of four: the vessel (REST), its berth (SOAP), the tides (XML) and the pilots on duty, asked at the same time. */
export function portCallsApi(): FlowDocument {
  return {
    hinge: 1,
    api: {
      name: 'Port calls',
      version: '1.0.0',
      description: 'All that an agent wants to know of a call, in one answer.',
      tags: ['moves'],
    },
    doors: [{ name: 'public', path: '/port-calls/v1' }],
    guards: [{ kind: 'schema' }],
    backends: { vessels: {}, berths: {}, tides: {}, pilots: {} },
    types: {
      PortCall: {
        type: 'object',
        properties: {
          vessel: {
            type: 'object',
            properties: { callNumber: text, name: text, owner: text, lengthMetres: { type: 'number' } },
            required: ['callNumber', 'name'],
          },
          berth: {
            type: 'object',
            properties: { number: text, quay: text, depthMetres: { type: 'number' }, deepEnough: { type: 'boolean' } },
            required: ['number', 'deepEnough'],
          },
          highWater: {
            type: 'array',
            items: { type: 'object', properties: { at: text, metres: { type: 'number' } }, required: ['at', 'metres'] },
          },
          pilots: {
            type: 'array',
            items: text,
            description: 'Who is free; empty also when the station does not answer',
          },
        },
        required: ['vessel', 'berth', 'highWater', 'pilots'],
      },
    },
    operations: {
      getPortCall: {
        method: 'GET',
        path: '/{callNumber}',
        summary: 'A vessel at a berth on a day',
        parameters: [
          { name: 'callNumber', in: 'path', required: true, schema: { type: 'string', pattern: '^T[VB]-[0-9]{5}$' } },
          { name: 'berth', in: 'query', required: true, schema: text },
          { name: 'day', in: 'query', required: true, schema: { type: 'string', format: 'date' } },
        ],
        reply: { status: 200, mediaType: 'application/json', schema: { $ref: '#/types/PortCall' } },
        otherReplies: { '404': { description: 'No such vessel or berth' } },
        flow: [
          {
            kind: 'gather',
            name: 'all four',
            lines: [
              {
                name: 'vessel',
                flow: [
                  ask('vessels', 'getVessel', { '/path/callNumber': 'path.callNumber' }),
                  call('vessels', 'getVessel'),
                ],
              },
              {
                name: 'berth',
                flow: [
                  ask('berths', 'GetBerth', { '/soapHeader/officeCode': 'env.officeCode', '/body/id': 'query.berth' }),
                  call('berths', 'GetBerth', {
                    faults: { UnknownBerth: { status: 404, title: 'There is no such berth' } },
                  }),
                ],
              },
              {
                name: 'tide',
                flow: [
                  {
                    kind: 'remember',
                    seconds: 900,
                    key: ['query.day'],
                    shared: true,
                    flow: [ask('tides', 'getTideTable', { '/path/day': 'query.day' }), call('tides', 'getTideTable')],
                  },
                ],
              },
              {
                name: 'pilots',
                onFailure: 'default',
                default: { pilots: [] },
                flow: [
                  ask('pilots', 'getRoster', { '/query/day': 'query.day' }),
                  call('pilots', 'getRoster', { timeoutMs: 1_500, retry: { times: 1, waitMs: 100 } }),
                ],
              },
            ],
          },
          {
            kind: 'map',
            name: 'one answer',
            to: 'reply',
            fields: [
              { to: '/body/vessel/callNumber', from: 'body.vessel.callNumber' },
              { to: '/body/vessel/name', from: 'body.vessel.name' },
              { to: '/body/vessel/owner', from: 'body.vessel.owner.name' },
              { to: '/body/vessel/lengthMetres', from: 'body.vessel.lengthMetres' },
              { to: '/body/berth/number', from: 'body.berth.berth.number' },
              { to: '/body/berth/quay', from: 'body.berth.berth.quay' },
              { to: '/body/berth/depthMetres', from: 'body.berth.berth.depthMetres' },
              { to: '/body/berth/deepEnough', from: 'body.berth.berth.depthMetres > body.vessel.draughtMetres' },
              { to: '/body/highWater', from: 'body.tide.tides[kind = "HIGH"].{"at": at, "metres": heightMetres}' },
              { to: '/body/pilots', from: '[body.pilots.pilots[free].name]' },
            ],
          },
        ],
      },
    },
    cases: [
      {
        name: 'Grey Wagtail at N-07',
        operation: 'getPortCall',
        request: { path: { callNumber: 'TV-40213' }, query: { berth: 'N-07', day: '2026-12-04' } },
        expect: {
          status: 200,
          parts: [
            { at: '/vessel/name', is: 'Grey Wagtail' },
            { at: '/berth/deepEnough', is: true },
          ],
        },
      },
      {
        name: 'too deep for the berth',
        operation: 'getPortCall',
        request: { path: { callNumber: 'TV-40377' }, query: { berth: 'N-01', day: '2026-12-04' } },
        expect: { status: 200, parts: [{ at: '/berth/deepEnough', is: false }] },
      },
      {
        name: 'the pilots do not answer',
        operation: 'getPortCall',
        note: 'The pilot station is a stub that cannot be reached: the answer comes without pilots.',
        request: { path: { callNumber: 'TV-40213' }, query: { berth: 'N-07', day: '2026-12-04' } },
        stubs: [{ backend: 'pilots', failure: 'unreachable' }],
        expect: { status: 200, parts: [{ at: '/pilots', is: [] }] },
      },
      {
        name: 'no such berth',
        operation: 'getPortCall',
        request: { path: { callNumber: 'TV-40213' }, query: { berth: 'Z-99', day: '2026-12-04' } },
        expect: { status: 404 },
      },
    ],
  };
}
