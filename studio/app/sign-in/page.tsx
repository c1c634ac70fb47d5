import { redirect } from 'next/navigation';
import { SignIn } from '../../features/sign-in/sign-in';
import { currentUser } from '../../lib/session';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Sign in' };

export default async function Page() {
  if (await currentUser()) redirect('/');
  return <SignIn />;
}
