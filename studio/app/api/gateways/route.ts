import { gatewayStates } from '../../../features/gateways/server';
import { jsonRoute } from '../../../lib/route';

export const dynamic = 'force-dynamic';
export const GET = jsonRoute(['designer', 'operator'], undefined, async () => ({ gateways: await gatewayStates() }));
