'use client';
import { diffLines } from 'diff';
import { useMemo } from 'react';

const AROUND = 3;

interface Props {
  readonly before: string;
  readonly after: string;
  /** Only what changed, with a few lines around it. */
  readonly context?: boolean;
}

/** Before and after as one text: what went is struck, what came is marked. */
export function Difference({ before, after, context }: Props) {
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
        linesOf(p.value, context && !p.added && !p.removed, i === 0, i === parts.length - 1).map((line, j) => (
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

/** Lines of a part; of one that stayed only those next to a change, when asked. */
function linesOf(text: string, short: boolean | undefined, first: boolean, last: boolean): string[] {
  const lines = text.replace(/\n$/, '').split('\n');
  const head = first ? 0 : AROUND;
  const tail = last ? 0 : AROUND;
  if (!short || lines.length <= head + tail + 1) return lines;
  return [
    ...lines.slice(0, head),
    `… ${lines.length - head - tail} lines as they were`,
    ...(tail ? lines.slice(-tail) : []),
  ];
}
