'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useRouter } from 'next/navigation';
import { useState, type FormEvent } from 'react';

export function SignIn() {
  const router = useRouter();
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const [told, setTold] = useState('');
  const [busy, setBusy] = useState(false);
  const submit = async (e: FormEvent) => {
    e.preventDefault();
    setBusy(true);
    setTold('');
    try {
      const reply = await fetch('/api/auth/sign-in/email', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ email, password }),
      });
      if (reply.ok) {
        router.push('/');
        router.refresh();
        return;
      }
      const { message } = (await reply.json().catch(() => ({}))) as { message?: string };
      setTold(
        reply.status === 429
          ? message?.startsWith('Too many wrong passwords')
            ? message
            : 'Too many tries. Wait a minute, then try again.'
          : 'Address and password do not belong together.',
      );
    } catch {
      setTold('The studio cannot be reached.');
    }
    setBusy(false);
  };
  return (
    <main style={{ display: 'grid', placeItems: 'center', minHeight: '100vh' }}>
      <form className="column" style={{ width: 320, gap: 14 }} onSubmit={(e) => void submit(e)}>
        <div>
          <div style={{ fontSize: 20, fontWeight: 750, letterSpacing: '-0.02em' }}>Up Hinge</div>
          <div className="soft">Gateway flows, designed with the message in view.</div>
        </div>
        <label className="column" style={{ gap: 3 }}>
          <span className="soft">Mail address</span>
          <TextField
            name="email"
            type="email"
            autoComplete="username"
            required
            autoFocus
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        </label>
        <label className="column" style={{ gap: 3 }}>
          <span className="soft">Password</span>
          <TextField
            name="password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        {told && (
          <div className="told" role="alert">
            {told}
          </div>
        )}
        <Button type="submit" variant="contained" disabled={busy}>
          {busy ? 'Signing in …' : 'Sign in'}
        </Button>
      </form>
    </main>
  );
}
