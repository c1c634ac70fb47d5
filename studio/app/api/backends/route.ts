import { z } from 'zod';
import { addBackend, cleanAddresses } from '../../../features/backends/server';
import { jsonRoute } from '../../../lib/route';

const body = z.object({
  name: z.string().regex(/^[A-Za-z_][A-Za-z0-9_-]{0,99}$/),
  title: z.string().min(1).max(200),
  addresses: z.record(z.string(), z.string().max(2000)),
  source: z.object({ entry: z.string(), files: z.record(z.string(), z.string()) }).optional(),
});

export const POST = jsonRoute(['designer'], body, async ({ body: b, user }) => {
  await addBackend({ ...b, addresses: cleanAddresses(b.addresses), by: user.name });
  return { name: b.name };
});
