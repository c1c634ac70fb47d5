import type { JsonError } from '@hinge/core';
import { readJson, soapMediaType, writeSoap, type SoapValueLike } from '@hinge/core';
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
    const operation = row && contractOf(row)?.operations.find((o) => o.id === b.operation);
    if (!row || !operation?.soap) throw new Told(404, `There is no operation ${b.operation} of ${params.name}.`);
    const address = row.addresses[b.environment];
    if (!address) throw new Told(422, `${row.title} has no address in ${b.environment}. Give it one above.`);
    let value: SoapValueLike;
    try {
      value = readJson(b.request) as SoapValueLike;
    } catch (error) {
      throw new Told(422, `The request is not JSON: ${(error as JsonError).message}.`);
    }
    const written = writeSoap(operation.soap.version, operation.soap.input, {
      body: value.body ?? {},
      soapHeader: value.soapHeader,
    });
    if (written.faults.length) throw new Told(422, written.faults.map((f) => `${f.pointer}: ${f.words}`).join('; '));
    const started = performance.now();
    try {
      const headers: Record<string, string> = { 'content-type': soapMediaType(operation.soap) };
      if (operation.soap.version === '1.1') headers.soapaction = `"${operation.soap.action}"`;
      const reply = await request(address, {
        method: 'POST',
        headers,
        body: written.text,
        headersTimeout: row.timeoutMs ?? 10_000,
        bodyTimeout: 10_000,
      });
      const text = await reply.body.text();
      return {
        sent: written.text,
        received: text.slice(0, 500_000),
        status: reply.statusCode,
        ms: Math.round(performance.now() - started),
      };
    } catch (error) {
      return {
        sent: written.text,
        why: `${row.title} cannot be reached: ${(error as { code?: string }).code ?? (error as Error).message}`,
      };
    }
  },
);
