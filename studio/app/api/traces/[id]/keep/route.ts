import { z } from 'zod';
import { keepAsCase } from '../../../../../features/traffic/keep';
import { jsonRoute } from '../../../../../lib/route';

export const POST = jsonRoute<{ id: string }, object>(['designer'], z.looseObject({}), async ({ params, user }) => ({
  href: await keepAsCase(params.id, user.name),
}));
