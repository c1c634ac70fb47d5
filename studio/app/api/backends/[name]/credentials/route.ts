import { credentialsSchema } from '@hinge/core';
import { z } from 'zod';
import { setCredentials } from '../../../../../features/backends/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({ credentials: credentialsSchema });

export const POST = jsonRoute<{ name: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  ({ params, body: b }) => setCredentials(params.name, b.credentials),
);
