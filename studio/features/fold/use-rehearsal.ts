'use client';
import {
  lineOf,
  unpackRehearsal,
  type CaseDocument,
  type Finding,
  type FlowDocument,
  type PackedRehearsal,
  type Rehearsal,
  type StepTyping,
} from '@hinge/core';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { RequestError } from '../../lib/client';
import { send } from '../../lib/client';
import { useChecks } from './use-checks';

export interface RehearsalState {
  readonly findings: readonly Finding[];
  readonly typing: readonly StepTyping[];
  /** The last one that could be run; stays visible while an edit is broken. */
  readonly rehearsal?: Rehearsal;
  /** Set when the shown rehearsal is not of the present draft. */
  readonly stale?: string;
  readonly running: boolean;
}

interface Kept extends RehearsalState {
  /** What the types were found for. */
  readonly typed?: FlowDocument;
  /** What was last rehearsed, or could not be. */
  readonly of?: readonly unknown[];
}

const NO_TYPES: readonly StepTyping[] = [];

const QUIET_MS = 180;
const CHECK_MS = 100;

interface Answer {
  readonly findings?: Finding[];
  readonly typing?: StepTyping[];
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
  const [state, setState] = useState<Kept>(() => ({
    findings: initial.findings,
    typing: initial.typing,
    typed: document,
    running: false,
  }));
  const abort = useRef<AbortController>(undefined);
  const check = useChecks(slug, document, operation, environment);
  const run = useCallback(async () => {
    if (!sample) return;
    abort.current?.abort();
    const mine = (abort.current = new AbortController());
    setState((s) => ({ ...s, running: true }));
    try {
      const ask = (withCheck: boolean) =>
        send<Answer>(
          'POST',
          `/api/apis/${slug}/rehearse`,
          { document, case: { ...sample, operation }, environment, check: withCheck },
          mine.signal,
        );
      const [found, first] = await Promise.all([check(document), ask(false)]);
      const a = { ...(found ? first : await ask(true)), ...found };
      if (mine.signal.aborted) return;
      const findings = a.findings ?? [];
      const typing = a.typing ?? [];
      const rehearsal = a.rehearsal && unpackRehearsal(a.rehearsal);
      const mistake = findings.find(
        (f) =>
          f.code === 'HNG-304' && f.severity === 'error' && f.place.pointer?.startsWith(`/operations/${operation}/`),
      );
      const now = { findings, typing, typed: document, of: [document, sample, environment] };
      setState((s) =>
        mistake && s.rehearsal
          ? {
              ...now,
              rehearsal: s.rehearsal,
              stale: 'shown is the last rehearsal without the mistake',
              running: false,
            }
          : {
              ...now,
              rehearsal: rehearsal ?? s.rehearsal,
              stale: a.rehearsal ? undefined : a.why,
              running: false,
            },
      );
    } catch (error) {
      if ((error as Error).name === 'AbortError') return;
      setState((s) => ({
        ...s,
        running: false,
        of: [document, sample, environment],
        stale: (error as RequestError).message,
      }));
    }
  }, [slug, document, operation, sample, environment, check]);
  // Findings and types do not wait for the gateway.
  useEffect(() => {
    let current = true;
    const timer = setTimeout(() => {
      void check(document).then((c) => {
        if (current && c) setState((s) => ({ ...s, ...c, typed: document }));
      });
    }, CHECK_MS);
    return () => {
      current = false;
      clearTimeout(timer);
    };
  }, [check, document]);
  useEffect(() => {
    const timer = setTimeout(() => void run(), QUIET_MS);
    return () => clearTimeout(timer);
  }, [run]);
  const ofThis = [document, sample, environment].every((x, i) => state.of?.[i] === x);
  const running = state.running || (sample !== undefined && !ofThis);
  const line = useLine(document, operation);
  const typedLine = useLine(state.typed, operation);
  // Types that were found before a step came or went are those of another step by now: a join would go to the wrong field.
  const typing = line === typedLine ? state.typing : NO_TYPES;
  return { ...state, typing, running, again: run };
}

function useLine(document: FlowDocument | undefined, operation: string): string {
  const flow = document?.operations[operation]?.flow;
  return useMemo(() => lineOf(flow ?? []), [flow]);
}
