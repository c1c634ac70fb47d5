'use client';
import { printXml } from '@hinge/core';
import { useMemo, useState } from 'react';

const FIRST_LINES = 1500;

/** Text with line numbers; marked lines are what this pin changed or made. */
export function CodeView({
  text,
  mediaType,
  marks,
}: {
  text: string;
  mediaType?: string;
  marks?: ReadonlySet<number>;
}) {
  const lines = useMemo(() => (mediaType?.includes('xml') ? printXml(text) : text).split('\n'), [text, mediaType]);
  const [all, setAll] = useState(false);
  const shown = all ? lines : lines.slice(0, FIRST_LINES);
  return (
    <div className="code" role="region" aria-label="Body as text" tabIndex={0}>
      {shown.map((line, i) => (
        <div key={i} className={marks?.has(i) ? 'code-line marked' : 'code-line'}>
          <span className="number" aria-hidden>
            {i + 1}
          </span>
          <span className="text">{line || ' '}</span>
        </div>
      ))}
      {lines.length > shown.length && (
        <button className="plain spruce" style={{ padding: '4px 16px' }} onClick={() => setAll(true)}>
          Show {lines.length - shown.length} more lines
        </button>
      )}
    </div>
  );
}
