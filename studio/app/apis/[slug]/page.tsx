import { checkDocument } from '@hinge/core';
import Link from 'next/link';
import { notFound } from 'next/navigation';
import { ApiOperations } from '../../../features/apis/api-operations';
import { ReleaseButton } from '../../../features/releases/release-button';
import { assemble, getDraft, listEnvironments, neighboursOf } from '../../../features/apis/server';
import { gatewayStates } from '../../../features/gateways/server';
import { Shell } from '../../../features/shell/shell';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ slug: string }> }) {
  const { slug } = await params;
  const draft = await getDraft(slug);
  if (!draft) notFound();
  const whole = await assemble(draft.document);
  const environments = await listEnvironments();
  const findings = checkDocument(whole, {
    environments: [environments[0]!.name],
    neighbours: await neighboursOf(whole),
  });
  const [gateway] = await gatewayStates();
  const d = draft.document;
  return (
    <Shell>
      <div className="sheet">
        <div className="title">
          <span className="soft">
            <Link href="/apis">APIs</Link> /
          </span>
          <h1>{d.api.name}</h1>
          <span className="soft">
            draft {draft.revision}, saved by {draft.savedBy}
          </span>
          <span className="grow" />
          <ReleaseButton
            slug={slug}
            revision={draft.revision}
            environments={environments}
            blocked={findings.filter((f) => f.severity === 'error').length}
          />
        </div>
        {d.api.description && <div className="soft">{d.api.description}</div>}
        <div className="frame">
          <table>
            <thead>
              <tr>
                <th>Door</th>
                <th>Base path</th>
                <th>Guards</th>
                <th>Address now</th>
              </tr>
            </thead>
            <tbody>
              {d.doors.map((door) => (
                <tr key={door.name}>
                  <td>{door.name}</td>
                  <td className="mono">{door.path}</td>
                  <td>
                    {[...(d.guards ?? []), ...(door.guards ?? [])]
                      .filter((g) => !g.off)
                      .map((g) => g.kind)
                      .join(', ') || <span className="soft">none</span>}
                  </td>
                  <td className="mono">{gateway ? `${gateway.address}${door.path}` : ''}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        <ApiOperations slug={slug} document={d} findings={findings} />
      </div>
    </Shell>
  );
}
