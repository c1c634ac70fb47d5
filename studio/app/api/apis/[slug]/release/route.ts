import { z } from 'zod';
import { release } from '../../../../../features/apis/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({ revision: z.int().min(1), environment: z.string(), notes: z.string().max(5000).default('') });

export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body as z.ZodType<z.infer<typeof body>>,
  async ({ params, body: b, user }) => release(params.slug, b.revision, b.environment, b.notes, user.name),
);
