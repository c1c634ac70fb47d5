import { Callers } from '../../features/callers/callers';
import { knownBy, listApps, waiting } from '../../features/callers/server';
import { Shell } from '../../features/shell/shell';
import { EVERYBODY } from '../../lib/auth';
import { demandUser } from '../../lib/session';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Callers' };

export default async function Page() {
  const user = await demandUser(EVERYBODY);
  const staff = user.role !== 'caller';
  const [apps, asked, known] = await Promise.all([listApps(user), staff ? waiting() : [], knownBy()]);
  return (
    <Shell for={EVERYBODY}>
      <Callers apps={apps} waiting={asked} known={known} role={user.role} />
    </Shell>
  );
}
