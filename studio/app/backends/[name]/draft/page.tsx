import { planFor, slug } from '@hinge/core';
import { notFound } from 'next/navigation';
import { DraftReview } from '../../../../features/apis/draft-review';
import { contractOf, getBackend } from '../../../../features/backends/server';
import { Shell } from '../../../../features/shell/shell';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Draft an API' };

export default async function Page({ params }: { params: Promise<{ name: string }> }) {
  const row = await getBackend((await params).name);
  const contract = row && contractOf(row);
  if (!row || !contract) notFound();
  const name = row.title.replace(/\s*Service$/i, '');
  return (
    <Shell>
      <DraftReview
        backend={row.name}
        backendTitle={row.title}
        plan={planFor(contract)}
        name={name}
        base={`/${slug(name)}/v1`}
        slug={slug(name)}
      />
    </Shell>
  );
}
