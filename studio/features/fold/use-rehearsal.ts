'use client';
import {
  unpackRehearsal,
  type CaseDocument,
  type Finding,
  type FlowDocument,
  type PackedRehearsal,
  type Rehearsal,
  type StepTyping,
} from '@hinge/core';
import { useCallback, useEffect, useRef, useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';

export interface RehearsalState {
  readonly findings: readonly Finding[];
  readonly typing: readonly StepTyping[];
  /** The last one that could be run; stays visible while an edit is broken. */
  readonly rehearsal?: Rehearsal;
  /** Set when the shown rehearsal is not of the present draft. */
  readonly stale?: string;
  readonly running: boolean;
}

const QUIET_MS = 180;

interface Answer {
  readonly findings: Finding[];
  readonly typing: StepTyping[];
  readonly rehearsal?: PackedRehearsal;
  readonly why?: string;
}

/** Rehearses the draft a moment after every change; an expression with a mistake leaves the last good rehearsal in view. */
export function useRehearsal(
  slug: string,
  document: FlowDocument,
  operation: string,
  sample: CaseDocument | undefined,
  environment: string,
  initial: Pick<RehearsalState, 'findings' | 'typing'>,
) {
  const [state, setState] = useState<RehearsalState>({ ...initial, running: false });
  const abort = useRef<AbortController>(undefined);
  const run = useCallback(async () => {
    if (!sample) return;
    abort.current?.abort();
    const mine = (abort.current = new AbortController());
    setState((s) => ({ ...s, running: true }));
    try {
      const a = await send<Answer>(
        'POST',
        `/api/apis/${slug}/rehearse`,
        { document, case: { ...sample, operation }, environment },
        mine.signal,
      );
      const rehearsal = a.rehearsal && unpackRehearsal(a.rehearsal);
      const mistake = a.findings.find(
        (f) =>
          f.code === 'HNG-304' && f.severity === 'error' && f.place.pointer?.startsWith(`/operations/${operation}/`),
      );
      setState((s) =>
        mistake && s.rehearsal
          ? {
              findings: a.findings,
              typing: a.typing,
              rehearsal: s.rehearsal,
              stale: 'shown is the last rehearsal without the mistake',
              running: false,
            }
          : {
              findings: a.findings,
              typing: a.typing,
              rehearsal: rehearsal ?? s.rehearsal,
              stale: a.rehearsal ? undefined : a.why,
              running: false,
            },
      );
    } catch (error) {
      if ((error as Error).name === 'AbortError') return;
      setState((s) => ({ ...s, running: false, stale: (error as RequestError).message }));
    }
  }, [slug, document, operation, sample, environment]);
  useEffect(() => {
    const timer = setTimeout(() => void run(), QUIET_MS);
    return () => clearTimeout(timer);
  }, [run]);
  return { ...state, again: run };
}
