import type { ReactNode } from 'react';
import { demandUser } from '../../lib/session';
import { TopBar } from './top-bar';

/** Frame of every signed-in page. */
export async function Shell({ children, bare }: { children: ReactNode; bare?: boolean }) {
  const user = await demandUser();
  return (
    <div className="shell">
      <TopBar user={{ name: user.name, role: user.role }} />
      {bare ? children : <main className="page">{children}</main>}
    </div>
  );
}
