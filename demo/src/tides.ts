import type { FlowDocument, StepDocument } from '@hinge/core';
import { drafted } from './town';

/** Tide tables: XML from the backend, remembered as long as the caller's plan says; JSON at one door, XML at the other. */
export function tidesApi(): FlowDocument {
  const document = drafted('tides', 'Tides', '/tides/v1');
  const operation = document.operations.getTideTable!;
  const [request, call, reply] = operation.flow as [StepDocument, StepDocument, StepDocument];
  const seconds = '$exists(plan) ? plan.values.cacheSeconds : 300';
  return {
    ...document,
    api: { ...document.api, version: '1.0.0', description: 'High and low water at Tarnhaven, day by day.' },
    doors: [
      { name: 'json', path: '/tides/v1', answers: 'json' },
      { name: 'xml', path: '/tides/v2', answers: 'xml' },
      { name: 'agents', path: '/tides/agents', answers: 'json', guards: [{ kind: 'key' }] },
    ],
    plans: {
      quay: {
        name: 'Quay',
        guards: [{ kind: 'rate', calls: 24, seconds: 60 }],
        scopes: ['tides:read'],
        values: { cacheSeconds: 900 },
      },
      channel: {
        name: 'Channel',
        approval: true,
        guards: [{ kind: 'rate', calls: 240, seconds: 60 }],
        scopes: ['tides:read'],
        values: { cacheSeconds: 120 },
      },
      'pilot-station': { name: 'Pilot station', approval: true, scopes: ['tides:read'], values: { cacheSeconds: 0 } },
    },
    operations: {
      ...document.operations,
      getTideTable: {
        ...operation,
        path: '/{day}',
        flow: [
          {
            kind: 'remember',
            name: 'table',
            seconds,
            shared: true,
            flow: [request, { ...call, timeoutMs: 5_000 } as StepDocument],
          },
          reply,
        ],
      },
    },
    cases: [
      {
        name: 'fourth of December',
        operation: 'getTideTable',
        request: { path: { day: '2026-12-04' } },
        expect: {
          status: 200,
          parts: [
            { at: '/station', is: 'Tarnhaven' },
            { at: '/tides/3/kind', is: 'LOW' },
          ],
        },
      },
      {
        name: 'as XML',
        operation: 'getTideTable',
        door: 'xml',
        request: { path: { day: '2026-12-04' } },
        expect: { status: 200, headers: { 'content-type': 'application/xml' } },
      },
      {
        name: 'plan Channel',
        operation: 'getTideTable',
        request: { path: { day: '2026-12-05' } },
        app: { id: 'dunlin', name: 'Dunlin & Sons', plan: 'Channel', values: { cacheSeconds: 120 } },
        stubs: [
          {
            backend: 'tides',
            operation: 'getTideTable',
            body: {
              day: '2026-12-05',
              station: 'Tarnhaven',
              tides: [{ kind: 'HIGH', at: '2026-12-05T03:12:00+01:00', heightMetres: 4.35 }],
            },
          },
        ],
        expect: { status: 200, headers: { 'cache-status': 'hinge; fwd=uri-miss; stored; ttl=120' } },
      },
      {
        name: 'no such day',
        operation: 'getTideTable',
        request: { path: { day: '2026-02-31' } },
        expect: { status: 400 },
      },
    ],
  };
}
