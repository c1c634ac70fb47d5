'use client';
import { sameJson, type FlowDocument } from '@hinge/core';
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';

export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'unsaved' }
  | { readonly kind: 'saving' }
  | { readonly kind: 'failed'; readonly message: string }
  | { readonly kind: 'conflict'; readonly message: string; readonly theirs: number };

const QUIET_MS = 900;
const UNDO_STEPS = 200;
const BURST_MS = 700;
const STASH_MS = 250;

interface Stash {
  readonly revision: number;
  readonly document: FlowDocument;
}

/**
 * A draft being edited: undo and redo, saved by revision a moment after the last change, kept in this browser until it
 * is saved. When somebody else saved meanwhile nothing is overwritten; the person chooses.
 */
export function useDraft(slug: string, initial: { revision: number; document: FlowDocument }, editable: boolean) {
  const [document, setDocument] = useState(initial.document);
  const [revision, setRevision] = useState(initial.revision);
  const [state, setState] = useState<SaveState>({ kind: 'saved' });
  const past = useRef<FlowDocument[]>([]);
  const future = useRef<FlowDocument[]>([]);
  const changedAt = useRef(0);
  const latest = useRef({ document, revision, state });
  useLayoutEffect(() => {
    latest.current = { document, revision, state };
  });
  const saving = useRef<Promise<number | undefined>>(undefined);
  /** What the studio has, known at once and not only after the next drawing: two saves never build on the same revision. */
  const kept = useRef({ revision: initial.revision, document: initial.document });
  const initialDocument = useRef(initial.document);
  const key = `hinge draft ${slug}`;

  useEffect(() => {
    // What a reload or a crash interrupted comes back; on another revision it shows as a conflict at the next save.
    if (!editable) return;
    const stored = sessionStorage.getItem(key);
    if (!stored) return;
    try {
      const stash = JSON.parse(stored) as Stash;
      // It was on its way when the page was left, and came.
      if (sameJson(stash.document, initialDocument.current)) {
        sessionStorage.removeItem(key);
        return;
      }
      kept.current = { ...kept.current, revision: stash.revision };
      setRevision(stash.revision);
      setDocument(stash.document);
      setState({ kind: 'unsaved' });
    } catch {
      sessionStorage.removeItem(key);
    }
  }, [key, editable]);

  /** What is to be stashed, a moment after the last key: writing a large document at every one would be felt. */
  const waiting = useRef<FlowDocument>(undefined);
  const stash = useCallback(() => {
    const next = waiting.current;
    waiting.current = undefined;
    if (!next) return;
    try {
      sessionStorage.setItem(key, JSON.stringify({ revision: kept.current.revision, document: next } satisfies Stash));
    } catch {
      // Too large for the browser's store: the save a moment later has to do.
    }
  }, [key]);
  useEffect(() => {
    // Leaving the page does not wait for the moment.
    window.addEventListener('pagehide', stash);
    return () => {
      window.removeEventListener('pagehide', stash);
      stash();
    };
  }, [stash]);
  const drop = useCallback(() => {
    waiting.current = undefined;
    sessionStorage.removeItem(key);
  }, [key]);

  const put = useCallback(
    (next: FlowDocument) => {
      setDocument(next);
      setState((s) => (s.kind === 'conflict' ? s : { kind: 'unsaved' }));
      if (!waiting.current) setTimeout(stash, STASH_MS);
      waiting.current = next;
    },
    [stash],
  );

  const change = useCallback(
    (next: FlowDocument) => {
      if (!editable) return;
      // Keys that follow each other closely are one step back.
      const now = Date.now();
      if (now - changedAt.current > BURST_MS)
        past.current = [...past.current.slice(-UNDO_STEPS), latest.current.document];
      changedAt.current = now;
      future.current = [];
      put(next);
    },
    [editable, put],
  );
  const undo = useCallback(() => {
    const previous = past.current.pop();
    if (!previous) return;
    changedAt.current = 0;
    future.current.push(latest.current.document);
    put(previous);
  }, [put]);
  const redo = useCallback(() => {
    const next = future.current.pop();
    if (!next) return;
    past.current.push(latest.current.document);
    put(next);
  }, [put]);

  const saveNow = useCallback(async (): Promise<number | undefined> => {
    if (saving.current) await saving.current;
    const now = latest.current.document;
    if (latest.current.state.kind === 'conflict') return undefined;
    if (now === kept.current.document) {
      // Undone back to what is saved.
      drop();
      setState({ kind: 'saved' });
      return kept.current.revision;
    }
    /** Saved by now with this very content, by an answer that was lost on its way: no conflict. */
    const cameAlready = async (error: RequestError): Promise<{ revision: number }> => {
      const theirs = await send<{ revision: number; document: FlowDocument }>('GET', `/api/apis/${slug}/draft`);
      if (!sameJson(theirs.document, now)) throw error;
      return theirs;
    };
    const run = async (): Promise<number | undefined> => {
      setState({ kind: 'saving' });
      try {
        const saved = await send<{ revision: number }>('POST', `/api/apis/${slug}/draft`, {
          base: kept.current.revision,
          document: now,
        }).catch((error: RequestError) => (error.status === 409 ? cameAlready(error) : Promise.reject(error)));
        kept.current = { revision: saved.revision, document: now };
        setRevision(saved.revision);
        if (latest.current.document === now) {
          drop();
          setState({ kind: 'saved' });
        } else setState({ kind: 'unsaved' });
        return saved.revision;
      } catch (error) {
        const e = error as RequestError;
        setState(
          e.status === 409
            ? { kind: 'conflict', message: e.message, theirs: e.body.revision as number }
            : { kind: 'failed', message: e.message },
        );
        return undefined;
      }
    };
    saving.current = run().finally(() => (saving.current = undefined));
    return saving.current;
  }, [slug, drop]);

  useEffect(() => {
    if (state.kind !== 'unsaved') return;
    const timer = setTimeout(() => void saveNow(), QUIET_MS);
    return () => clearTimeout(timer);
  }, [state, document, saveNow]);

  /** Conflict: take what the other saved, or lay mine over it. */
  const takeTheirs = useCallback(async () => {
    const d = await send<{ revision: number; document: FlowDocument }>('GET', `/api/apis/${slug}/draft`);
    drop();
    kept.current = { revision: d.revision, document: d.document };
    setRevision(d.revision);
    setDocument(d.document);
    setState({ kind: 'saved' });
  }, [slug, drop]);
  const keepMine = useCallback(() => {
    const s = latest.current.state;
    if (s.kind !== 'conflict') return;
    kept.current = { ...kept.current, revision: s.theirs };
    setRevision(s.theirs);
    setState({ kind: 'unsaved' });
  }, []);

  return { document, revision, state, change, undo, redo, saveNow, takeTheirs, keepMine };
}
