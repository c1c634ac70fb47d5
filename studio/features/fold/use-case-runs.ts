'use client';
import { unreachedLines, type CaseDocument, type CaseResult, type FlowDocument } from '@hinge/core';
import { useCallback, useMemo, useRef, useState } from 'react';
import { send, type RequestError } from '../../lib/client';

export interface CaseRuns {
  /** By "operation name". */
  readonly results: ReadonlyMap<string, CaseResult>;
  readonly running?: { readonly done: number; readonly of: number };
  readonly failure?: string;
  /** The results are of an older draft. */
  readonly stale: boolean;
  run(cases: readonly CaseDocument[]): Promise<void>;
  cancel(): void;
  unreached(operation: string): readonly { at: string; name: string }[];
  /** "5 of 6 cases pass", once they were run. */
  words(operation: string): string | undefined;
}

const PORTION = 5;
const keyOf = (c: { operation: string; name: string }): string => `${c.operation} ${c.name}`;

/** Runs cases on a gateway, a few at a time, so that one sees how far it is and can stop it. */
export function useCaseRuns(slug: string, document: FlowDocument, environment: string): CaseRuns {
  const [results, setResults] = useState<ReadonlyMap<string, CaseResult>>(new Map());
  const [ranWith, setRanWith] = useState<FlowDocument>();
  const [running, setRunning] = useState<{ done: number; of: number }>();
  const [failure, setFailure] = useState<string>();
  const abort = useRef<AbortController>(undefined);
  const run = useCallback(
    async (cases: readonly CaseDocument[]) => {
      abort.current?.abort();
      const mine = (abort.current = new AbortController());
      setFailure(undefined);
      setRanWith(document);
      setRunning({ done: 0, of: cases.length });
      try {
        for (let i = 0; i < cases.length; i += PORTION) {
          const answer = await send<{ results: CaseResult[] }>(
            'POST',
            `/api/apis/${slug}/cases`,
            { document, cases: cases.slice(i, i + PORTION), environment },
            mine.signal,
          );
          setResults((had) => {
            const next = new Map(had);
            for (const r of answer.results) next.set(keyOf(r), r);
            return next;
          });
          setRunning({ done: Math.min(i + PORTION, cases.length), of: cases.length });
        }
      } catch (error) {
        if ((error as Error).name !== 'AbortError') setFailure((error as RequestError).message);
      } finally {
        if (abort.current === mine) setRunning(undefined);
      }
    },
    [slug, document, environment],
  );
  const cancel = useCallback(() => {
    abort.current?.abort();
    setRunning(undefined);
  }, []);
  const own = useCallback(
    (operation: string) =>
      (document.cases ?? []).filter((c) => c.operation === operation).flatMap((c) => results.get(keyOf(c)) ?? []),
    [document, results],
  );
  return useMemo(
    () => ({
      results,
      running,
      failure,
      stale: ranWith !== undefined && ranWith !== document,
      run,
      cancel,
      unreached: (operation) => unreachedLines(document, own(operation)).filter((l) => l.operation === operation),
      words: (operation) => {
        const r = own(operation);
        return r.length ? `${r.filter((x) => x.passed).length} of ${r.length} cases pass` : undefined;
      },
    }),
    [results, running, failure, ranWith, document, run, cancel, own],
  );
}
