import { z } from 'zod';
import { demandShape, getDraft, saveDraft } from '../../../../../features/apis/server';
import { draftAt } from '../../../../../features/releases/versions-server';
import { READERS } from '../../../../../lib/auth';
import { jsonRoute, Told } from '../../../../../lib/route';

const body = z.object({
  base: z.int().min(1).max(2_147_483_646),
  document: z.looseObject({}),
  note: z.string().max(500).default(''),
});

export const GET = jsonRoute<{ slug: string }>(READERS, undefined, async ({ params, request }) => {
  const revision = new URL(request.url).searchParams.get('revision');
  if (revision !== null) {
    const document = await draftAt(params.slug, Number(revision) || 0);
    if (!document) throw new Told(404, `There is no draft ${revision} of ${params.slug}.`);
    return { revision: Number(revision), document };
  }
  const draft = await getDraft(params.slug);
  if (!draft) throw new Told(404, `There is no API ${params.slug}.`);
  return draft;
});

export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer'],
  body as z.ZodType<z.infer<typeof body>>,
  async ({ params, body: b, user }) => ({
    revision: await saveDraft(params.slug, b.base, demandShape(b.document), user.name, b.note),
  }),
);
