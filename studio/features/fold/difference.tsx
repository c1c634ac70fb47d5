'use client';
import { diffLines } from 'diff';
import { useMemo } from 'react';

/** Before and after as one text: what went is struck, what came is marked. */
export function Difference({ before, after }: { before: string; after: string }) {
  const parts = useMemo(() => diffLines(before, after, { timeout: 500 }), [before, after]);
  if (!parts)
    return (
      <div className="soft" style={{ padding: '4px 16px' }}>
        The two are too different to be told line by line.
      </div>
    );
  if (parts.every((p) => !p.added && !p.removed))
    return (
      <div className="soft" style={{ padding: '4px 16px' }}>
        Nothing changed.
      </div>
    );
  return (
    <div className="code" role="region" aria-label="Difference" tabIndex={0}>
      {parts.flatMap((p, i) =>
        p.value
          .replace(/\n$/, '')
          .split('\n')
          .map((line, j) => (
            <div key={`${i} ${j}`} className={`code-line ${p.added ? 'marked' : p.removed ? 'gone' : ''}`}>
              <span className="number" aria-hidden>
                {p.added ? '+' : p.removed ? '−' : ''}
              </span>
              <span className="text">
                {p.added && <span className="hidden">added </span>}
                {p.removed && <span className="hidden">removed </span>}
                {line || ' '}
              </span>
            </div>
          )),
      )}
    </div>
  );
}
