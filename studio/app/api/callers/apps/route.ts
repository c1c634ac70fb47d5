import { z } from 'zod';
import { makeApp } from '../../../../features/callers/server';
import { jsonRoute } from '../../../../lib/route';

const body = z.object({ name: z.string().trim().min(1).max(100), owner: z.email().max(200).optional() });

export const POST = jsonRoute(['designer', 'operator', 'caller'], body, ({ user, body: b }) =>
  makeApp(user, b.name, b.owner),
);
