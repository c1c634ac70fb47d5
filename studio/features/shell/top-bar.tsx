'use client';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useColorScheme } from '@mui/material/styles';
import Link from 'next/link';
import { usePathname, useRouter } from 'next/navigation';
import { useState } from 'react';

const AREAS = [
  ['/', 'Desk'],
  ['/backends', 'Backends'],
  ['/apis', 'APIs'],
  ['/callers', 'Callers'],
  ['/releases', 'Releases'],
  ['/traffic', 'Traffic'],
] as const;

export function TopBar({ user }: { user: { name: string; role: string } }) {
  const path = usePathname();
  const router = useRouter();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { mode, setMode } = useColorScheme();
  const here = (href: string) => (href === '/' ? path === '/' : path.startsWith(href));
  const signOut = async () => {
    await fetch('/api/auth/sign-out', { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{}' });
    router.push('/sign-in');
    router.refresh();
  };
  return (
    <header className="top">
      <Link href="/" className="brand">
        Up Hinge
      </Link>
      <nav aria-label="Areas">
        {AREAS.filter(([href]) => user.role !== 'caller' || href === '/callers').map(([href, name]) => (
          <Link key={href} href={href} aria-current={here(href) ? 'page' : undefined}>
            {name}
          </Link>
        ))}
      </nav>
      <span className="grow" />
      <button className="plain soft" aria-haspopup="menu" onClick={(e) => setAnchor(e.currentTarget)}>
        {user.name}
      </button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem disabled>{user.role}</MenuItem>
        {(['light', 'dark', 'system'] as const).map((m) => (
          <MenuItem key={m} selected={mode === m} onClick={() => setMode(m)}>
            {m === 'system' ? 'Colours as the system has them' : `${m === 'light' ? 'Light' : 'Dark'} colours`}
          </MenuItem>
        ))}
        <MenuItem onClick={() => void signOut()}>Sign out</MenuItem>
      </Menu>
    </header>
  );
}
