import { z } from 'zod';
import { createApi, demandShape } from '../../../../features/apis/server';
import { jsonRoute } from '../../../../lib/route';

const body = z.object({
  slug: z.string().regex(/^[a-z0-9_-]{1,100}$/, 'a name of letters and digits'),
  document: z.looseObject({}),
});

/** Makes an API from a document: one from nothing, or one that was written elsewhere. */
export const POST = jsonRoute(['designer'], body, async ({ body: b, user }) => {
  await createApi(demandShape(b.document), b.slug, user.name);
  return { slug: b.slug };
});
