import { z } from 'zod';
import { removeSecret, setSecret } from '../../../features/backends/secrets';
import { sendConfig } from '../../../features/gateways/server';
import { jsonRoute } from '../../../lib/route';

const place = z.object({
  environment: z.string().max(100),
  name: z
    .string()
    .regex(/^[A-Za-z_][A-Za-z0-9_.-]{0,99}$/, 'must start with a letter and hold only letters, digits, _, - and .'),
});
const body = place.extend({ value: z.string().min(1, 'A secret has at least one character.').max(20_000) });

/** A value goes in and never comes out again; gateways of the environment get it at once. */
export const POST = jsonRoute<object, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ user, body: b }) => {
    await setSecret(b.environment, b.name, b.value, user.name);
    return { revision: await sendConfig(b.environment) };
  },
);

export const DELETE = jsonRoute<object, z.infer<typeof place>>(['designer', 'operator'], place, async ({ body: b }) => {
  await removeSecret(b.environment, b.name);
  return { revision: await sendConfig(b.environment) };
});
