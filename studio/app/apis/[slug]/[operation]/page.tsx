import { checkDocument, openBackends, typeFlow } from '@hinge/core';
import type { Metadata } from 'next';
import { notFound } from 'next/navigation';
import { assemble, getDraft, listEnvironments } from '../../../../features/apis/server';
import { Fold } from '../../../../features/fold/fold';
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
  const faults: Record<string, string[]> = {};
  for (const [name, b] of openBackends(whole).contexts)
    for (const o of b.contract?.operations ?? []) faults[`${name} ${o.id}`] = o.faults.map((f) => f.name);
  return (
    <Shell bare>
      <Fold
        key={`${slug} ${operation}`}
        slug={slug}
        operationId={operation}
        draft={{ revision: draft.revision, document: draft.document }}
        environments={environments}
        findings={checkDocument(whole, { environments: [environments[0]!.name] })}
        typing={typeFlow(whole, operation)}
        faults={faults}
        startCase={(await searchParams).case}
        gatewayAddress={Object.fromEntries(gateways.map((g) => [g.environment, g.address]))}
        variables={Object.fromEntries(environments.map((e) => [e.name, e.variables]))}
        editable={user.role === 'designer'}
      />
    </Shell>
  );
}
