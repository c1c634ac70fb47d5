'use client';
import type { Rehearsal } from '@hinge/core';
import { useEffect, useRef } from 'react';
import type { FoldViewProps } from './fold-view';

export function useJump(jump: FoldViewProps['jump'], select: (at: string, field?: string) => void) {
  const last = useRef(jump?.n);
  useEffect(() => {
    if (jump && jump.n !== last.current) {
      last.current = jump.n;
      select(jump.at, jump.field);
    }
  }, [jump, select]);
}

/**
 * The pin that failed opens by itself, once for each new failure: the innermost one. A failure at no pin shows the reply
 * when the flow is opened, and later leaves the eye where it works; a field of a pin in which somebody types is not taken away.
 */
export function useFailedPin(rehearsal: Rehearsal | undefined, select: (at: string) => void) {
  const told = useRef<string>(undefined);
  const first = useRef(true);
  useEffect(() => {
    if (!rehearsal) return;
    const failed = rehearsal.steps.filter((s) => s.error).sort((a, b) => b.at.length - a.at.length)[0];
    const key = rehearsal.error ? `${failed?.at} ${rehearsal.error.code}` : undefined;
    const at = failed?.at ?? (first.current ? 'reply' : undefined);
    if (key !== undefined && key !== told.current && at !== undefined && !isTypingInPin()) select(at);
    told.current = key;
    first.current = false;
  }, [rehearsal, select]);
}

const isTypingInPin = (): boolean => {
  const el = document.activeElement as HTMLElement | null;
  return el?.closest('.pin-pane') != null && (el.isContentEditable || /^(INPUT|TEXTAREA)$/.test(el.tagName));
};

const isTyping = (e: KeyboardEvent): boolean => {
  const el = e.target as HTMLElement;
  return (
    el.isContentEditable ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(el.tagName) ||
    el.closest('[role=dialog],[role=listbox],[role=menu],[role=combobox]') !== null
  );
};

/** Arrow keys walk along the line, unless something is being typed or a tree is being walked sideways. */
export function useWalk(selected: string, select: (at: string) => void, order: readonly string[]) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey || e.shiftKey || isTyping(e)) return;
      const line = ['request', ...order, 'reply'];
      const at = line.indexOf(selected);
      const to = e.key === 'ArrowRight' ? line[at + 1] : e.key === 'ArrowLeft' ? line[at - 1] : undefined;
      if (e.key !== 'ArrowRight' && e.key !== 'ArrowLeft') return;
      if (to !== undefined) select(to);
      e.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [selected, select, order]);
}

/** `a` adds a step behind the chosen one; Delete, Alt with arrows and Ctrl D work on it. Shift with arrows chooses more steps, or fewer. */
export function usePinKeys(
  selected: string,
  onAct: FoldViewProps['onAct'],
  onInsert: FoldViewProps['onInsert'],
  select: (at: string) => void,
  count: number,
  setCount: (count: number) => void,
) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.defaultPrevented || isTyping(e)) return;
      const isStep = selected.startsWith('/');
      if (e.key === 'a' && !e.ctrlKey && !e.metaKey && !e.altKey && onInsert) onInsert(selected);
      else if (!isStep || !onAct) return;
      else if (e.shiftKey && e.key === 'ArrowRight') setCount(count + 1);
      else if (e.shiftKey && e.key === 'ArrowLeft') setCount(Math.max(1, count - 1));
      else if (e.key === 'Delete') done(onAct(selected, 'remove', count));
      else if (e.altKey && e.key === 'ArrowLeft') done(onAct(selected, 'left', count), count);
      else if (e.altKey && e.key === 'ArrowRight') done(onAct(selected, 'right', count), count);
      else if ((e.ctrlKey || e.metaKey) && e.key === 'd') done(onAct(selected, 'copy', count), count);
      else return;
      e.preventDefault();
    };
    const done = (at: string | undefined, many = 1) => {
      if (at === undefined) return;
      select(at);
      setCount(many);
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [selected, onAct, onInsert, select, count, setCount]);
}
