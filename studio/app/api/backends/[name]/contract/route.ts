import { compareContracts, contractKindOf, readContract } from '@hinge/core';
import { eq } from 'drizzle-orm';
import { z } from 'zod';
import { database, schema } from '../../../../../db/client';
import { usersOf } from '../../../../../features/apis/server';
import { contractOf, gather, getBackend } from '../../../../../features/backends/server';
import { jsonRoute, Told } from '../../../../../lib/route';

const body = z.object({
  url: z.string().max(2000).optional(),
  files: z.record(z.string().max(500), z.string()).optional(),
  entry: z.string().optional(),
  /** Only compare, or also put it in the place of the old one. */
  use: z.boolean(),
});

/** A newer contract beside the one that is kept: what it says otherwise, and which flows that touches. */
export const POST = jsonRoute<{ name: string }, z.infer<typeof body>>(
  ['designer'],
  body,
  async ({ params, body: b }) => {
    const row = await getBackend(params.name);
    if (!row) throw new Told(404, `There is no backend ${params.name}.`);
    const source = await gather(b);
    const after = readContract(source);
    const before = contractOf(row);
    const changes = before ? compareContracts(before, after) : [];
    const users = await usersOf(params.name);
    const touched = new Set(changes.map((c) => c.operation));
    if (b.use)
      await database()
        .update(schema.backends)
        .set({
          contract: { kind: contractKindOf(source.files[source.entry]!), entry: source.entry, files: source.files },
        })
        .where(eq(schema.backends.name, params.name));
    return {
      changes: changes.map((c) => ({ ...c, flows: users.get(c.operation ?? '') ?? [] })),
      operations: after.operations.length,
      touched: touched.size,
      files: source.files,
      entry: source.entry,
    };
  },
);
