'use client';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { send, type RequestError } from '../../lib/client';

/** Does something on the server, then draws the page anew; what fails is told and nothing typed is lost. */
export function useAct() {
  const router = useRouter();
  const [busy, setBusy] = useState(false);
  const [told, setTold] = useState('');
  const act = async <T>(method: string, url: string, body?: unknown): Promise<T | undefined> => {
    setBusy(true);
    setTold('');
    try {
      const answer = await send<T>(method, url, body);
      router.refresh();
      return answer;
    } catch (error) {
      setTold((error as RequestError).message);
      return undefined;
    } finally {
      setBusy(false);
    }
  };
  return { act, busy, told };
}
