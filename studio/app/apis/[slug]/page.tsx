import { notFound } from 'next/navigation';
import { findingsOf, getDraft, listEnvironments } from '../../../features/apis/server';
import { gatewayStates } from '../../../features/gateways/server';
import { workspaceGuards } from '../../../features/guards/server';
import { Shape } from '../../../features/shape/shape';
import { Shell } from '../../../features/shell/shell';
import { demandUser } from '../../../lib/session';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ slug: string }> }) {
  const { slug } = await params;
  const user = await demandUser();
  const draft = await getDraft(slug);
  if (!draft) notFound();
  const environments = await listEnvironments();
  const findings = await findingsOf(slug, draft.document, environments[0]!.name);
  const [gateway] = await gatewayStates();
  return (
    <Shell>
      <div className="sheet">
        <Shape
          key={slug}
          slug={slug}
          draft={{ revision: draft.revision, document: draft.document, savedBy: draft.savedBy }}
          environments={environments}
          findings={findings}
          address={gateway?.address}
          guards={await workspaceGuards()}
          editable={user.role === 'designer'}
        />
      </div>
    </Shell>
  );
}
