import { notFound } from 'next/navigation';
import { getDraft } from '../../../../features/apis/server';
import { Versions } from '../../../../features/releases/versions';
import { compareVersions, listVersions } from '../../../../features/releases/versions-server';
import { Shell } from '../../../../features/shell/shell';
import { demandUser } from '../../../../lib/session';

export const dynamic = 'force-dynamic';

interface Props {
  readonly params: Promise<{ slug: string }>;
  readonly searchParams: Promise<{ from?: string; to?: string; operation?: string }>;
}

export default async function Page({ params, searchParams }: Props) {
  const { slug } = await params;
  const asked = await searchParams;
  const user = await demandUser();
  const draft = await getDraft(slug);
  if (!draft) notFound();
  const versions = await listVersions(slug);
  const to = Number(asked.to ?? draft.revision);
  // What runs is what one asks about first; without a release the draft before.
  const released = versions.find((v) => v.releases.length && v.revision < to)?.revision;
  const from = Number(asked.from ?? released ?? Math.max(1, to - 1));
  return (
    <Shell>
      <div className="sheet">
        <Versions
          slug={slug}
          name={draft.document.api.name}
          versions={versions}
          from={from}
          to={to}
          newest={draft.revision}
          operation={asked.operation}
          changes={await compareVersions(slug, from, to)}
          editable={user.role === 'designer'}
        />
      </div>
    </Shell>
  );
}
