import { z } from 'zod';
import { demandShape, findingsOf } from '../../../../../features/apis/server';
import { READERS } from '../../../../../lib/auth';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({ document: z.looseObject({}), environment: z.string() });

/** Every finding of a draft that is being changed. */
export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(READERS, body, async ({ params, body: b }) => ({
  findings: await findingsOf(params.slug, demandShape(b.document), b.environment),
}));
