import { z } from 'zod';
import { usersOf } from '../../../../../features/apis/server';
import { gather, newerContract } from '../../../../../features/backends/server';
import { jsonRoute } from '../../../../../lib/route';

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
    const source = await gather(b);
    const { after, changes } = await newerContract(params.name, source, b.use);
    const users = await usersOf(params.name);
    const touched = new Set(changes.map((c) => c.operation));
    return {
      changes: changes.map((c) => ({ ...c, flows: users.get(c.operation ?? '') ?? [] })),
      operations: after.operations.length,
      touched: touched.size,
      files: source.files,
      entry: source.entry,
    };
  },
);
