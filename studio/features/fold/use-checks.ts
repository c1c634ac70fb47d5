'use client';
import { neighbourNames, type FlowDocument } from '@hinge/core';
import { useCallback, useEffect, useRef } from 'react';
import { send } from '../../lib/client';
import type { Answered, Checked, Question, Surroundings } from './check-worker';

export type Check = (document: FlowDocument) => Promise<Checked | undefined>;

const WAIT_MS = 10_000;

/** Findings and types of a draft from a web worker. Undefined where there is none, or it fails: the studio's server says it then. */
export function useChecks(slug: string, document: FlowDocument, operation: string, environment: string): Check {
  const worker = useRef<Worker>(undefined);
  const ready = useRef<Promise<void>>(undefined);
  const waiting = useRef(new Map<number, (c: Checked | undefined) => void>());
  const count = useRef(0);
  const sentCases = useRef<{ worker: Worker; cases: FlowDocument['cases'] }>(undefined);
  const known = useRef<{ document: FlowDocument; key: string; answer: Promise<Checked | undefined> }>(undefined);
  const names = [...neighbourNames(document)].sort().join(' ');
  const backends = Object.keys(document.backends ?? {})
    .sort()
    .join(' ');

  useEffect(() => {
    const all = waiting.current;
    const giveUp = () => {
      for (const done of all.values()) done(undefined);
      all.clear();
    };
    try {
      const made = new Worker(new URL('./check-worker.ts', import.meta.url), { type: 'module' });
      made.onmessage = ({ data }: MessageEvent<Answered>) => {
        waiting.current.get(data.n)?.('checked' in data ? data.checked : undefined);
        waiting.current.delete(data.n);
      };
      made.onerror = () => {
        worker.current = undefined;
        giveUp();
      };
      worker.current = made;
      return () => {
        made.terminate();
        worker.current = undefined;
        giveUp();
      };
    } catch {
      worker.current = undefined;
      return undefined;
    }
  }, []);

  // Contracts travel once, and again when the draft names another backend or API.
  useEffect(() => {
    known.current = undefined;
    ready.current = send<Surroundings>(
      'GET',
      `/api/apis/${slug}/surroundings?apis=${encodeURIComponent(names)}&backends=${encodeURIComponent(backends)}`,
    ).then((surroundings) => worker.current?.postMessage({ surroundings } satisfies Question));
    ready.current.catch(() => undefined);
  }, [slug, names, backends]);

  return useCallback(
    (d: FlowDocument) => {
      const key = `${operation} ${environment}`;
      if (known.current?.document === d && known.current.key === key) return known.current.answer;
      const ask = async (): Promise<Checked | undefined> => {
        try {
          await ready.current;
        } catch {
          return undefined;
        }
        const to = worker.current;
        if (!to) return undefined;
        const n = ++count.current;
        return new Promise((resolve) => {
          const timer = setTimeout(() => resolve(undefined), WAIT_MS);
          waiting.current.set(n, (c) => {
            clearTimeout(timer);
            resolve(c);
          });
          if (sentCases.current?.worker !== to || sentCases.current.cases !== d.cases) {
            sentCases.current = { worker: to, cases: d.cases };
            to.postMessage({ cases: d.cases } satisfies Question);
          }
          const { cases: _cases, text: _text, ...document } = d;
          to.postMessage({ n, document, operation, environment } satisfies Question);
        });
      };
      const answer = ask();
      known.current = { document: d, key, answer };
      return answer;
    },
    [operation, environment],
  );
}
