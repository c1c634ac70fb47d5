import { z } from 'zod';
import { hub } from '../../../../features/gateways/hub';
import { jsonRoute, Told } from '../../../../lib/route';

const body = z.object({ environment: z.string().max(100), tag: z.string().min(1).max(500).optional() });
const WAIT_MS = 10_000;

export const POST = jsonRoute<object, z.infer<typeof body>>(['designer', 'operator'], body, ({ body: b }) =>
  hub()
    .forget(b.environment, b.tag, WAIT_MS)
    .catch((error: Error) => {
      throw new Told(503, `Not everything was forgotten: ${error.message}.`);
    }),
);
