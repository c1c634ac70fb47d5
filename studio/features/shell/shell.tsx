import type { ReactNode } from 'react';
import type { Role } from '../../lib/auth';
import { demandUser } from '../../lib/session';
import { TopBar } from './top-bar';

/** Frame of every signed-in page. */
export async function Shell({
  children,
  bare,
  for: roles,
}: {
  children: ReactNode;
  bare?: boolean;
  for?: readonly Role[];
}) {
  const user = await demandUser(roles);
  return (
    <div className="shell">
      <TopBar user={{ name: user.name, role: user.role }} />
      {bare ? children : <main className="page">{children}</main>}
    </div>
  );
}
