import { useRouter } from 'next/navigation';
import type { MouseEvent } from 'react';
import type { useDraft } from '../fold/use-draft';

/** Links to pages that the studio's server draws from the draft: what is not saved yet is saved first, then they are followed. */
export function useSavedLinks(slug: string, { state, saveNow }: ReturnType<typeof useDraft>) {
  const router = useRouter();
  return (e: MouseEvent) => {
    const a = (e.target as Element).closest('a');
    const plain = e.button === 0 && !e.ctrlKey && !e.metaKey && !e.shiftKey && !e.altKey;
    if (!a || !plain || state.kind === 'saved' || a.origin !== location.origin) return;
    if (!a.pathname.startsWith(`/apis/${slug}/`)) return;
    e.preventDefault();
    void saveNow().then((revision) => {
      // What could not be saved is told on this page.
      if (revision !== undefined) router.push(a.pathname + a.search);
    });
  };
}
