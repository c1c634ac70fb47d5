'use client';
import { printXml } from '@hinge/core';
import { useMemo } from 'react';
import { Lines } from './lines';

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
  return (
    <Lines
      label="Body as text"
      count={lines.length}
      line={(i) => ({
        className: marks?.has(i) ? 'code-line marked' : 'code-line',
        children: (
          <>
            <span className="number" aria-hidden>
              {i + 1}
            </span>
            <span className="text">{shown(lines[i]!)}</span>
          </>
        ),
      })}
    />
  );
}

const LONG = 20_000;

/** A line of a megabyte would stop the browser; its beginning says enough. */
const shown = (line: string): string =>
  line.length > LONG ? `${line.slice(0, LONG)} … ${line.length - LONG} more characters` : line || ' ';
