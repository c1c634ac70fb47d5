import type { FlowDocument, JsonSchema } from '@hinge/core';

/** Where the stand-in broker is when nobody says otherwise. */
export const BROKER = 'mqtt://127.0.0.1:4333';

/** Where the agents' receiver takes webhooks. */
export const RECEIVER = 'http://127.0.0.1:4334/hooks/';

export const ARRIVAL: JsonSchema = {
  type: 'object',
  properties: {
    vessel: { type: 'string', pattern: '^T[VB]-[0-9]{5}$', description: 'Call number' },
    name: { type: 'string' },
    berth: { type: 'string', description: 'Where it lies or is to lie' },
    at: { type: 'string', format: 'date-time' },
  },
  required: ['vessel', 'at'],
};

/** Arrivals at the port as events: reported by HTTP, checked, on the broker; heard as a stream, by waiting, by a socket, or by webhook. */
export function arrivalsApi(broker = BROKER, receiver = RECEIVER): FlowDocument {
  const topic = (title: string, address: string) => ({
    title,
    broker: 'town',
    address,
    form: 'cloudevents' as const,
    schema: { $ref: '#/types/Arrival' },
  });
  return {
    hinge: 1,
    api: {
      name: 'Arrivals feed',
      version: '1.0.0',
      description: 'Who is announced, who has berthed, who has left: told as it happens.',
      tags: ['events'],
    },
    doors: [{ name: 'feed', path: '/arrivals/v1', answers: 'events', webhooks: { callbacks: [receiver] } }],
    brokers: { town: { description: 'The broker of the port office', address: broker, version: '3.1.1' } },
    types: {
      Arrival: ARRIVAL,
      Report: {
        type: 'object',
        properties: {
          callNumber: { type: 'string', pattern: '^T[VB]-[0-9]{5}$' },
          vesselName: { type: 'string' },
          berthNumber: { type: 'string' },
          expectedAt: { type: 'string', format: 'date-time' },
        },
        required: ['callNumber', 'expectedAt'],
      },
    },
    topics: {
      announced: topic('Announced', 'arrivals/announced'),
      berthed: topic('Berthed', 'arrivals/berthed'),
      departed: topic('Departed', 'arrivals/departed'),
    },
    guards: [{ kind: 'schema' }],
    operations: {
      reportArrival: {
        method: 'POST',
        path: '/reports',
        summary: 'Report an arrival, in the words of the agents',
        request: { mediaType: 'application/json', required: true, schema: { $ref: '#/types/Report' } },
        reply: {
          status: 202,
          mediaType: 'application/json',
          schema: {
            type: 'object',
            properties: { id: { type: 'string' }, topic: { type: 'string' } },
            required: ['id', 'topic'],
          },
        },
        flow: [
          {
            kind: 'publish',
            name: 'announce',
            topic: 'announced',
            data: '{"vessel": body.callNumber, "name": body.vesselName, "berth": body.berthNumber, "at": body.expectedAt}',
            type: '"tarnhaven.arrival.announced"',
            subject: 'body.callNumber',
          },
        ],
      },
    },
    cases: [
      {
        name: 'Grey Wagtail is expected',
        operation: 'reportArrival',
        request: {
          headers: { 'content-type': 'application/json' },
          body: {
            callNumber: 'TV-40213',
            vesselName: 'Grey Wagtail',
            berthNumber: 'N-07',
            expectedAt: '2026-12-04T06:30:00Z',
          },
        },
        expect: { status: 202, parts: [{ at: '/topic', is: 'announced' }] },
      },
      {
        name: 'without a call number',
        operation: 'reportArrival',
        request: {
          headers: { 'content-type': 'application/json' },
          body: { vesselName: 'Grey Wagtail', expectedAt: '2026-12-04T06:30:00Z' },
        },
        expect: { status: 400 },
      },
    ],
  };
}
