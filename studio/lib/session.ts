import { headers } from 'next/headers';
import { redirect } from 'next/navigation';
import { auth, type Role } from './auth';

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

/** For pages: whoever is not signed in goes to the sign-in. */
export async function demandUser(): Promise<SignedIn> {
  const user = await currentUser();
  if (!user) redirect('/sign-in');
  return user;
}
