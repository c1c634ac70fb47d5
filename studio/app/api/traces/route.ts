import { listTraces } from '../../../features/traffic/server';
import { READERS } from '../../../lib/auth';
import { jsonRoute } from '../../../lib/route';

export const dynamic = 'force-dynamic';
export const GET = jsonRoute(READERS, undefined, async ({ request }) => {
  const q = new URL(request.url).searchParams;
  const get = (name: string) => q.get(name) || undefined;
  return {
    traces: await listTraces({ api: get('api'), status: get('status'), text: get('text'), before: get('before') }),
  };
});
