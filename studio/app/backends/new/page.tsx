import { listEnvironments } from '../../../features/apis/server';
import { NewBackend } from '../../../features/backends/new-backend';
import { Shell } from '../../../features/shell/shell';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'New backend' };

export default async function Page() {
  return (
    <Shell>
      <NewBackend environments={await listEnvironments()} />
    </Shell>
  );
}
