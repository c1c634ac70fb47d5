import type { JsonError } from '@hinge/core';
import { readJson, requestMessage } from '@hinge/core';
import { request } from 'undici';
import { z } from 'zod';
import { contractOf, getBackend } from '../../../../../features/backends/server';
import { jsonRoute, Told } from '../../../../../lib/route';

const body = z.object({ operation: z.string(), environment: z.string(), request: z.string().max(4_000_000) });

/** Sends one request straight to the backend, written from JSON by its contract. */
export const POST = jsonRoute<{ name: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ params, body: b }) => {
    const row = await getBackend(params.name);
    const contract = row && contractOf(row);
    const operation = contract?.operations.find((o) => o.id === b.operation);
    if (!row || !contract || !operation || operation.unusable)
      throw new Told(404, `There is no operation ${b.operation} of ${params.name}.`);
    const address = row.addresses[b.environment];
    if (!address) throw new Told(422, `${row.title} has no address in ${b.environment}. Give it one above.`);
    let value: Record<string, unknown>;
    try {
      value = readJson(b.request) as Record<string, unknown>;
    } catch (error) {
      throw new Told(422, `The request is not JSON: ${(error as JsonError).message}.`);
    }
    const { message, faults } = requestMessage(operation, contract.types, value);
    if (!message) throw new Told(422, faults.map((f) => `${f.pointer}: ${f.words}`).join('; '));
    const body = message.body.isEmpty ? null : message.body.text();
    const sent = body ?? `${message.method} ${message.path ?? ''}`;
    const started = performance.now();
    try {
      const reply = await request(operation.http ? address.replace(/\/$/, '') + (message.path ?? '') : address, {
        method: (message.method ?? 'POST') as 'POST',
        headers: { ...message.headers },
        body,
        headersTimeout: row.timeoutMs ?? 10_000,
        bodyTimeout: 10_000,
      });
      const text = await reply.body.text();
      return {
        sent,
        received: text.slice(0, 500_000),
        status: reply.statusCode,
        ms: Math.round(performance.now() - started),
      };
    } catch (error) {
      return {
        sent,
        why: `${row.title} cannot be reached: ${(error as { code?: string }).code ?? (error as Error).message}`,
      };
    }
  },
);
