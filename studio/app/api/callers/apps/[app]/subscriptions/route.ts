import { z } from 'zod';
import { subscribe } from '../../../../../../features/callers/server';
import { jsonRoute } from '../../../../../../lib/route';

const body = z.object({ api: z.string().min(1).max(200), plan: z.string().min(1).max(200) });

export const POST = jsonRoute<{ app: string }, z.infer<typeof body>>(
  ['designer', 'operator', 'caller'],
  body,
  ({ user, params, body: b }) => subscribe(user, params.app, b.api, b.plan),
);
