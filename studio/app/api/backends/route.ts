import { isHttpUrl } from '@hinge/core';
import { z } from 'zod';
import { addBackend } from '../../../features/backends/server';
import { jsonRoute, Told } from '../../../lib/route';

const body = z.object({
  name: z.string().regex(/^[A-Za-z_][A-Za-z0-9_-]{0,99}$/),
  title: z.string().min(1).max(200),
  addresses: z.record(z.string(), z.string().max(2000)),
  source: z.object({ entry: z.string(), files: z.record(z.string(), z.string()) }).optional(),
});

export const POST = jsonRoute(['designer'], body, async ({ body: b, user }) => {
  const addresses: Record<string, string> = Object.fromEntries(
    Object.entries(b.addresses)
      .map(([k, v]) => [k, v.trim()])
      .filter(([, v]) => v),
  );
  for (const [env, url] of Object.entries(addresses))
    if (!isHttpUrl(url)) throw new Told(422, `The address in ${env} is no http or https address: ${url}`);
  await addBackend({ ...b, addresses, by: user.name });
  return { name: b.name };
});
