'use client';
import { diffLines } from 'diff';
import { useMemo } from 'react';
import { Lines } from './lines';

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
  const lines = useMemo(
    () =>
      (parts ?? []).flatMap((p, i) =>
        linesOf(p.value, context && !p.added && !p.removed, i === 0, i === parts!.length - 1).map((text) => ({
          text,
          mark: p.added ? '+' : p.removed ? '−' : '',
        })),
      ),
    [parts, context],
  );
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
    <Lines
      label="Difference"
      count={lines.length}
      line={(i) => {
        const { text, mark } = lines[i]!;
        return {
          className: `code-line ${mark === '+' ? 'marked' : mark ? 'gone' : ''}`,
          children: (
            <>
              <span className="number" aria-hidden>
                {mark}
              </span>
              <span className="text">
                {mark && <span className="hidden">{mark === '+' ? 'added ' : 'removed '}</span>}
                {text || ' '}
              </span>
            </>
          ),
        };
      }}
    />
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
