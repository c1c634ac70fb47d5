import type { Metadata } from 'next';
import { notFound } from 'next/navigation';
import { AppPage } from '../../../features/callers/app-page';
import { appDetails, appFor, knownBy } from '../../../features/callers/server';
import { Shell } from '../../../features/shell/shell';
import { EVERYBODY } from '../../../lib/auth';
import { demandUser } from '../../../lib/session';

export const dynamic = 'force-dynamic';

type Params = Promise<{ app: string }>;

export async function generateMetadata({ params }: { params: Params }): Promise<Metadata> {
  return { title: (await params).app };
}

export default async function Page({ params }: { params: Params }) {
  const user = await demandUser(EVERYBODY);
  const app = await appFor(user, (await params).app);
  if (!app) notFound();
  const [details, known] = await Promise.all([appDetails(user, app.id), knownBy()]);
  return (
    <Shell for={EVERYBODY}>
      <AppPage
        key={app.id}
        app={{ id: app.id, name: app.name, owner: app.owner }}
        {...details}
        known={known}
        role={user.role}
      />
    </Shell>
  );
}
