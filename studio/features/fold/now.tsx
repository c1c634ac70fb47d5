'use client';
import { createContext, useLayoutEffect, useMemo, useRef, type ReactNode } from 'react';
import type { SampleRequest, ShownMessage } from '@hinge/core';
import { brief, valueOf, valuesAt } from './values';

/** The value that stands at a pointer of the message in view, for one line; empty when there is none. */
export type Now = (pointer: string) => string;

export const NowContext = createContext<Now>(() => '');

interface Props {
  readonly message: ShownMessage | undefined;
  readonly sample?: SampleRequest;
  readonly env?: Readonly<Record<string, unknown>>;
  readonly children: ReactNode;
}

/** Gives editors below the values of the last rehearsal. What is handed down never changes: an open list of completions stays open. */
export function NowValues({ message, sample, env, children }: Props) {
  const latest = useRef<{ message?: ShownMessage; sample?: SampleRequest; env?: Props['env']; value?: unknown }>({});
  useLayoutEffect(() => {
    latest.current = { message, sample, env };
  }, [message, sample, env]);
  const now = useMemo<Now>(
    () => (pointer) => {
      const l = latest.current;
      // Large messages are read once, and only when somebody asks.
      l.value ??= {
        ...(valueOf(l.message) as object),
        path: l.sample?.path ?? {},
        query: l.sample?.query ?? {},
        cookies: l.sample?.cookies ?? {},
        env: l.env ?? {},
      };
      return brief(valuesAt(l.value, pointer, 8));
    },
    [],
  );
  return <NowContext value={now}>{children}</NowContext>;
}

/** Type of a field, and behind it what stands there now. */
export function nowWords(words: string, now: string): string {
  const short = now.length > 40 ? `${now.slice(0, 38)} …` : now;
  return short ? `${words}, now ${short}` : words;
}
