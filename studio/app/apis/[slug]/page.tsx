import { checkDocument } from '@hinge/core';
import { notFound } from 'next/navigation';
import { assemble, getDraft, listEnvironments, neighboursOf } from '../../../features/apis/server';
import { gatewayStates } from '../../../features/gateways/server';
import { Shape } from '../../../features/shape/shape';
import { Shell } from '../../../features/shell/shell';
import { demandUser } from '../../../lib/session';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ slug: string }> }) {
  const { slug } = await params;
  const user = await demandUser();
  const draft = await getDraft(slug);
  if (!draft) notFound();
  const whole = await assemble(draft.document);
  const environments = await listEnvironments();
  const findings = checkDocument(whole, {
    environments: [environments[0]!.name],
    neighbours: await neighboursOf(whole),
  });
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
          editable={user.role === 'designer'}
        />
      </div>
    </Shell>
  );
}
