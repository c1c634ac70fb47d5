import { z } from 'zod';
import { setAddresses } from '../../../../features/backends/server';
import { jsonRoute } from '../../../../lib/route';

const body = z.object({ addresses: z.record(z.string(), z.string().max(2000)) });

export const POST = jsonRoute<{ name: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  ({ params, body: b }) => setAddresses(params.name, b.addresses),
);
