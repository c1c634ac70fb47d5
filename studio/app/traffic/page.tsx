import { listApis } from '../../features/apis/server';
import { Shell } from '../../features/shell/shell';
import { listTraces } from '../../features/traffic/server';
import { TraceList } from '../../features/traffic/trace-list';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Traffic' };

export default async function Page() {
  const [traces, apis] = await Promise.all([listTraces({}), listApis()]);
  return (
    <Shell>
      <TraceList initial={traces} apis={apis.map((a) => ({ slug: a.slug, name: a.name }))} />
    </Shell>
  );
}
