import { isHttpUrl } from '@hinge/core';
import { eq } from 'drizzle-orm';
import { z } from 'zod';
import { database, schema } from '../../../../db/client';
import { jsonRoute, Told } from '../../../../lib/route';

const body = z.object({ addresses: z.record(z.string(), z.string().max(2000)) });

export const POST = jsonRoute<{ name: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ params, body: b }) => {
    const addresses: Record<string, string> = Object.fromEntries(
      Object.entries(b.addresses)
        .map(([k, v]) => [k, v.trim()])
        .filter(([, v]) => v),
    );
    for (const [env, url] of Object.entries(addresses))
      if (!isHttpUrl(url)) throw new Told(422, `The address in ${env} is no http or https address: ${url}`);
    const done = await database()
      .update(schema.backends)
      .set({ addresses })
      .where(eq(schema.backends.name, params.name))
      .returning();
    if (!done.length) throw new Told(404, `There is no backend ${params.name}.`);
  },
);
