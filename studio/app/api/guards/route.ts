import { sendConfigs } from '../../../features/gateways/server';
import { guardsSchema, keepWorkspaceGuards } from '../../../features/guards/server';
import { jsonRoute } from '../../../lib/route';

export const PUT = jsonRoute(['designer', 'operator'], guardsSchema, async ({ body, user }) => {
  await keepWorkspaceGuards(body, user.name);
  await sendConfigs();
});
