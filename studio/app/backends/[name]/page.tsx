import { httpTarget, sampleOf, writeJson, type Contract } from '@hinge/core';
import { notFound } from 'next/navigation';
import { listEnvironments } from '../../../features/apis/server';
import { BackendPage } from '../../../features/backends/backend-page';
import { contractOf, getBackend } from '../../../features/backends/server';
import { secretStates } from '../../../features/backends/secrets';
import { viewOf } from '../../../features/backends/view';
import { Shell } from '../../../features/shell/shell';

export const dynamic = 'force-dynamic';

export default async function Page({ params }: { params: Promise<{ name: string }> }) {
  const row = await getBackend((await params).name);
  if (!row) notFound();
  const contract = contractOf(row);
  return (
    <Shell>
      <BackendPage
        name={row.name}
        title={row.title}
        addresses={row.addresses}
        environments={await listEnvironments()}
        contract={contract && viewOf(contract)}
        credentials={row.credentials}
        secrets={await secretStates()}
        samples={contract ? samplesOf(contract) : {}}
      />
    </Shell>
  );
}

/** A request for each operation, made from its types. */
function samplesOf(contract: Contract): Record<string, string> {
  const out: Record<string, string> = {};
  for (const o of contract.operations) {
    if (o.unusable) continue;
    if (o.http) {
      out[o.id] = writeJson(
        sampleOf(httpTarget(o, contract.types).schema, contract.types, { optional: false, without: 'readOnly' }) ?? {},
        2,
      );
      continue;
    }
    const soapHeader = Object.fromEntries(
      o.request.headers.map((h) => [h.name, sampleOf(h.schema, contract.types, { name: h.name })]),
    );
    out[o.id] = writeJson(
      {
        ...(o.request.headers.length && { soapHeader }),
        body: sampleOf(o.request.body, contract.types, { without: 'readOnly' }) ?? {},
      },
      2,
    );
  }
  return out;
}
