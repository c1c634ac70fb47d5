import type { FlowDocument, JsonSchema } from '@hinge/core';

const text: JsonSchema = { type: 'string' };

/** Towage: the register knows the length, and the length decides which desk is asked. */
export function towageApi(): FlowDocument {
  return {
    hinge: 1,
    api: {
      name: 'Towage',
      version: '1.0.0',
      description: 'Tugs for ships, a push boat for barges and small vessels.',
      tags: ['moves'],
    },
    doors: [{ name: 'public', path: '/towage/v1' }],
    guards: [{ kind: 'schema' }],
    backends: { vessels: {}, tow: {}, barge: {} },
    types: {
      Order: {
        type: 'object',
        properties: {
          vessel: { type: 'string', pattern: '^T[VB]-[0-9]{5}$' },
          at: { type: 'string', format: 'date-time' },
          from: text,
          to: text,
        },
        required: ['vessel', 'at'],
        additionalProperties: false,
      },
      Confirmation: {
        type: 'object',
        properties: {
          number: text,
          desk: { type: 'string', enum: ['tow desk', 'barge desk'] },
          boats: { type: 'array', items: text },
          price: {
            type: 'object',
            properties: { amount: text, currency: text },
            required: ['amount', 'currency'],
          },
        },
        required: ['number', 'desk', 'boats', 'price'],
      },
    },
    operations: {
      orderTowage: {
        method: 'POST',
        path: '/orders',
        summary: 'Order towage for a vessel of the register',
        request: { mediaType: 'application/json', required: true, schema: { $ref: '#/types/Order' } },
        reply: { status: 201, mediaType: 'application/json', schema: { $ref: '#/types/Confirmation' } },
        otherReplies: { '404': { description: 'The register does not know this vessel' } },
        flow: [
          {
            kind: 'map',
            to: { backend: 'vessels', operation: 'getVessel' },
            fields: [{ to: '/path/callNumber', from: 'body.vessel' }],
          },
          { kind: 'call', name: 'vessel', backend: 'vessels', operation: 'getVessel' },
          {
            kind: 'choose',
            name: 'by length',
            lines: [
              {
                name: 'ships from 60 m',
                when: [
                  { of: 'body.lengthMetres', is: 'atLeast', value: 60 },
                  { of: 'body.kind', is: 'equals', value: 'VESSEL' },
                ],
                flow: [
                  {
                    kind: 'map',
                    to: { backend: 'tow', operation: 'orderTow' },
                    fields: [
                      { to: '/body/ship', from: 'body.callNumber' },
                      { to: '/body/lengthMetres', from: 'body.lengthMetres' },
                      { to: '/body/startsAt', from: 'steps.request.body.at' },
                      { to: '/body/fromBerth', from: 'steps.request.body.from' },
                      { to: '/body/toBerth', from: 'steps.request.body.to' },
                    ],
                  },
                  { kind: 'call', backend: 'tow', operation: 'orderTow' },
                  {
                    kind: 'map',
                    to: 'reply',
                    fields: [
                      { to: '/body/number', from: 'body.order' },
                      { to: '/body/desk', from: '"tow desk"' },
                      { to: '/body/boats', from: 'body.tugs' },
                      { to: '/body/price/amount', from: '$formatNumber(body.priceTal, "0.00")' },
                      { to: '/body/price/currency', from: '"TAL"' },
                    ],
                  },
                ],
              },
            ],
            otherwise: [
              {
                kind: 'map',
                to: { backend: 'barge', operation: 'newJob' },
                fields: [
                  { to: '/body/craft/plate', from: 'body.callNumber' },
                  { to: '/body/craft/metres', from: 'body.lengthMetres' },
                  { to: '/body/when', from: 'steps.request.body.at' },
                  { to: '/body/leg', from: '[steps.request.body.from, steps.request.body.to]' },
                ],
              },
              { kind: 'call', backend: 'barge', operation: 'newJob' },
              {
                kind: 'map',
                to: 'reply',
                fields: [
                  { to: '/body/number', from: '"B-" & body.job.id' },
                  { to: '/body/desk', from: '"barge desk"' },
                  { to: '/body/boats', from: '[body.job.boat]' },
                  { to: '/body/price/amount', from: 'body.job.cost.amount' },
                  { to: '/body/price/currency', from: 'body.job.cost.currency' },
                ],
              },
            ],
          },
        ],
      },
    },
    cases: [
      order('a ship of 112 m', 'TV-40213', 201, 'tow desk'),
      order('a barge', 'TB-50077', 201, 'barge desk'),
      order('a small vessel', 'TV-41020', 201, 'barge desk'),
      order('nobody', 'TV-00000', 404),
    ],
  };
}

function order(
  name: string,
  vessel: string,
  status: number,
  desk?: string,
): NonNullable<FlowDocument['cases']>[number] {
  return {
    name,
    operation: 'orderTowage',
    request: { body: { vessel, at: '2026-12-04T05:30:00+01:00', from: 'N-07', to: 'S-02' } },
    expect: { status, ...(desk !== undefined && { parts: [{ at: '/desk', is: desk }] }) },
  };
}
