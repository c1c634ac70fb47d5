import { gatewayStates } from '../../../features/gateways/server';
import { READERS } from '../../../lib/auth';
import { jsonRoute } from '../../../lib/route';

export const dynamic = 'force-dynamic';
export const GET = jsonRoute(READERS, undefined, async () => ({ gateways: await gatewayStates() }));
