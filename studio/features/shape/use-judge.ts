'use client';
import { useEffect, useRef, useState } from 'react';
import type { Fault } from './judge-openapi';
import type { Judged } from './judge-worker';

const NONE: readonly Fault[] = [];

/** What the schema of the OpenAPI Initiative has against the value that was given last; nothing where no worker can be had. */
export function useJudge(value: unknown): readonly Fault[] {
  const worker = useRef<Worker>(undefined);
  const asked = useRef(0);
  const [faults, setFaults] = useState<readonly Fault[]>(NONE);
  useEffect(() => {
    const made = new Worker(new URL('./judge-worker.ts', import.meta.url), { type: 'module' });
    made.onmessage = ({ data }: MessageEvent<Judged>) => {
      if (data.n === asked.current) setFaults(data.faults);
    };
    worker.current = made;
    return () => made.terminate();
  }, []);
  useEffect(() => {
    const n = ++asked.current;
    if (value !== undefined) worker.current?.postMessage({ n, value });
  }, [value]);
  return value === undefined ? NONE : faults;
}
