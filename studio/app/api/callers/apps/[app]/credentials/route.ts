import { z } from 'zod';
import { makeCredential } from '../../../../../../features/callers/credentials-server';
import { jsonRoute } from '../../../../../../lib/route';

const body = z.object({
  environment: z.string().min(1).max(100),
  kind: z.enum(['key', 'secret']),
  /** Hours for which those that are live stay so; absent: they stay until they are revoked. */
  overlapHours: z.number().min(0).max(720).optional(),
});

export const POST = jsonRoute<{ app: string }, z.infer<typeof body>>(
  ['designer', 'operator', 'caller'],
  body,
  ({ user, params, body: b }) => makeCredential(user, params.app, b.environment, b.kind, b.overlapHours),
);
