import { LinkButton } from '../../features/shell/link-button';
import { listBackends } from '../../features/backends/server';
import { BackendTable } from '../../features/backends/backend-table';
import { Shell } from '../../features/shell/shell';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Backends' };

export default async function Page() {
  const rows = await listBackends();
  return (
    <Shell>
      <div className="sheet">
        <div className="title">
          <h1>Backends</h1>
          <span className="soft">what the flows call</span>
          <span className="grow" />
          <LinkButton href="/backends/new">New backend</LinkButton>
        </div>
        <BackendTable
          rows={rows.map((r) => ({
            name: r.name,
            title: r.title,
            contract: r.contract ? r.contract.entry : null,
            addresses: r.addresses,
          }))}
        />
      </div>
    </Shell>
  );
}
