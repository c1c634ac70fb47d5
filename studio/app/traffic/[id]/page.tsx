import { typeFlow } from '@hinge/core';
import { notFound } from 'next/navigation';
import { releasedDocument } from '../../../features/apis/server';
import { TraceFold, type StoredTrace } from '../../../features/fold/trace-fold';
import { workspaceGuards } from '../../../features/guards/server';
import { Shell } from '../../../features/shell/shell';
import { getTrace } from '../../../features/traffic/server';
import { demandUser } from '../../../lib/session';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Trace' };

export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  const user = await demandUser();
  const trace = (await getTrace((await params).id)) as StoredTrace | undefined;
  if (!trace) notFound();
  const document =
    trace.api && trace.release !== undefined ? await releasedDocument(trace.api, trace.release) : undefined;
  return (
    <Shell bare>
      <TraceFold
        trace={trace}
        document={document && { ...document, backends: {} }}
        typing={document && trace.operation ? typeFlow(document, trace.operation) : []}
        guards={await workspaceGuards()}
        editable={user.role === 'designer'}
      />
    </Shell>
  );
}
