import { z } from 'zod';
import { ACTS, decide } from '../../../../../features/callers/server';
import { jsonRoute, numberOf } from '../../../../../lib/route';

const body = z.object({ act: z.enum(ACTS), reason: z.string().max(1000).optional() });

export const POST = jsonRoute<{ id: string }, z.infer<typeof body>>(
  ['designer', 'operator', 'caller'],
  body,
  ({ user, params, body: b }) => decide(user, numberOf(params.id), b.act, b.reason ?? ''),
);
