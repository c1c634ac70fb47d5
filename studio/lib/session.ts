import { headers } from 'next/headers';
import { redirect } from 'next/navigation';
import { auth, READERS, type Role } from './auth';

export interface SignedIn {
  readonly id: string;
  readonly name: string;
  readonly email: string;
  readonly role: Role;
}

export async function currentUser(): Promise<SignedIn | undefined> {
  const session = await auth().api.getSession({ headers: await headers() });
  if (!session) return undefined;
  const { id, name, email } = session.user;
  return { id, name, email, role: (session.user as { role?: Role }).role ?? 'operator' };
}

/** For pages: whoever is not signed in goes to the sign-in, and who may not look at the page to where they may. */
export async function demandUser(roles: readonly Role[] = READERS): Promise<SignedIn> {
  const user = await currentUser();
  if (!user) redirect('/sign-in');
  if (!roles.includes(user.role)) redirect('/callers');
  return user;
}
