import { checkDocument, typeFlow } from '@hinge/core';
import type { Metadata } from 'next';
import { notFound } from 'next/navigation';
import { assemble, getDraft, listEnvironments, neighboursOf } from '../../../../features/apis/server';
import { Fold } from '../../../../features/fold/fold';
import { foldWorld } from '../../../../features/fold/server';
import { gatewayStates } from '../../../../features/gateways/server';
import { Shell } from '../../../../features/shell/shell';
import { demandUser } from '../../../../lib/session';

export const dynamic = 'force-dynamic';

type Params = Promise<{ slug: string; operation: string }>;

export async function generateMetadata({ params }: { params: Params }): Promise<Metadata> {
  return { title: (await params).operation };
}

export default async function Page({
  params,
  searchParams,
}: {
  params: Params;
  searchParams: Promise<{ case?: string }>;
}) {
  const { slug, operation } = await params;
  const user = await demandUser();
  const draft = await getDraft(slug);
  if (!draft?.document.operations[operation]) notFound();
  const [whole, environments, gateways] = await Promise.all([
    assemble(draft.document),
    listEnvironments(),
    gatewayStates(),
  ]);
  const neighbours = await neighboursOf(whole);
  return (
    <Shell bare>
      <Fold
        key={`${slug} ${operation}`}
        slug={slug}
        operationId={operation}
        draft={{ revision: draft.revision, document: draft.document }}
        environments={environments}
        findings={checkDocument(whole, { environments: [environments[0]!.name], neighbours })}
        typing={typeFlow(whole, operation, neighbours)}
        world={await foldWorld(slug)}
        startCase={(await searchParams).case}
        gatewayAddress={Object.fromEntries(gateways.map((g) => [g.environment, g.address]))}
        variables={Object.fromEntries(environments.map((e) => [e.name, e.variables]))}
        editable={user.role === 'designer'}
      />
    </Shell>
  );
}
