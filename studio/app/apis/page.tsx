import { ApiTable } from '../../features/apis/api-table';
import { listApis } from '../../features/apis/server';
import { listBackends } from '../../features/backends/server';
import { LinkButton } from '../../features/shell/link-button';
import Link from 'next/link';
import { Shell } from '../../features/shell/shell';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'APIs' };

export default async function Page() {
  const [rows, backends] = await Promise.all([listApis(), listBackends()]);
  return (
    <Shell>
      <div className="sheet">
        <div className="title">
          <h1>APIs</h1>
          <span className="soft">what callers see</span>
          <span className="grow" />
          <Link href="/guards">Guards of the workspace</Link>
          <LinkButton href="/apis/new">New API</LinkButton>
        </div>
        <ApiTable rows={rows} backends={backends.length} />
      </div>
    </Shell>
  );
}
