import { listApis } from '../../features/apis/server';
import { GatewayList } from '../../features/gateways/gateway-list';
import { gatewayStates } from '../../features/gateways/server';
import { workspaceGuards } from '../../features/guards/server';
import { WorkspaceGuards } from '../../features/guards/workspace-guards';
import { Shell } from '../../features/shell/shell';
import { demandUser } from '../../lib/session';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Guards of the workspace' };

export default async function Page() {
  const user = await demandUser();
  const [guards, apis, gateways] = await Promise.all([workspaceGuards(), listApis(), gatewayStates()]);
  return (
    <Shell>
      <div className="sheet">
        <WorkspaceGuards guards={guards} apis={apis.length} readOnly={user.role === 'auditor'} />
        <h2>Gateways</h2>
        <GatewayList initial={gateways} />
      </div>
    </Shell>
  );
}
