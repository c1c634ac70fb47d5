import {
  Body,
  compileCredentials,
  readJson,
  Refusal,
  requestMessage,
  type Backends,
  type JsonError,
} from '@hinge/core';
import { request } from 'undici';
import { z } from 'zod';
import { contractOf, getBackend } from '../../../../../features/backends/server';
import { secretsFor } from '../../../../../features/backends/secrets';
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
    const sent = message.body.isEmpty ? `${message.method} ${message.path ?? ''}` : message.body.text();
    const started = performance.now();
    try {
      const url = operation.http ? address.replace(/\/$/, '') + (message.path ?? '') : address;
      const asked = { url, headers: message.headers, body: message.body };
      const { values } = await secretsFor(b.environment);
      const asking = {
        environment: b.environment,
        ports: {
          backends: DIRECT,
          secrets: { get: (name: string) => (Object.hasOwn(values, name) ? values[name] : undefined) },
        },
      };
      const shown = (await compileCredentials(row.credentials, row.name)?.add(asking, asked)) ?? asked;
      const timeoutMs = row.timeoutMs ?? 10_000;
      const reply = await DIRECT.send({ backend: row.name, method: message.method ?? 'POST', timeoutMs, ...shown });
      return {
        sent,
        received: reply.body.text().slice(0, 500_000),
        status: reply.status,
        ms: Math.round(performance.now() - started),
      };
    } catch (error) {
      if (error instanceof Refusal) return { sent, why: error.options.inner ?? error.options.detail };
      return {
        sent,
        why: `${row.title} cannot be reached: ${(error as { code?: string }).code ?? (error as Error).message}`,
      };
    }
  },
);

/** From the studio itself, not through a gateway. */
const DIRECT: Backends = {
  async send({ url, method, headers, body, timeoutMs }) {
    const reply = await request(url, {
      method: method as 'POST',
      headers: { ...headers },
      body: body.isEmpty ? null : body.text(),
      headersTimeout: timeoutMs,
      bodyTimeout: timeoutMs,
    });
    const flat = Object.fromEntries(Object.entries(reply.headers).map(([n, v]) => [n, String(v)]));
    const bytes = new Uint8Array(await reply.body.arrayBuffer());
    return { status: reply.statusCode, headers: flat, body: Body.ofBytes(bytes, flat['content-type']) };
  },
};
