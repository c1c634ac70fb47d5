'use client';
import { useEffect } from 'react';

/** Save, rehearse again, undo and redo, from anywhere on the page. */
export function useShortcuts(undo: () => void, redo: () => void, save: () => void, again: () => void) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!e.ctrlKey && !e.metaKey) return;
      const typing =
        (e.target as HTMLElement).isContentEditable || /^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName);
      if (e.key === 's') save();
      else if (e.key === 'Enter') again();
      // Inside a text field undo belongs to the text.
      else if (e.key.toLowerCase() === 'z' && !typing) (e.shiftKey ? redo : undo)();
      else if (e.key === 'y' && !typing) redo();
      else return;
      e.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [undo, redo, save, again]);
}
