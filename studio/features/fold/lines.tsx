'use client';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, type ReactNode } from 'react';

const LINE_PX = 21;
/** From here on only the lines that are seen are drawn. */
const MANY = 400;

interface Props {
  readonly label: string;
  readonly count: number;
  /** One line; `style` puts it in its place where not all are drawn. */
  readonly line: (index: number) => { readonly className: string; readonly children: ReactNode };
}

/** Lines of text, as many as there are. Long lines wrap while all are drawn, and run on where they are too many. */
export function Lines({ label, count, line }: Props) {
  if (count > MANY) return <Virtual label={label} count={count} line={line} />;
  return (
    <div className="code" role="region" aria-label={label} tabIndex={0}>
      {Array.from({ length: count }, (_, i) => {
        const { className, children } = line(i);
        return (
          <div key={i} className={className}>
            {children}
          </div>
        );
      })}
    </div>
  );
}

function Virtual({ label, count, line }: Props) {
  const box = useRef<HTMLDivElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing of it goes to a memoized child
  const list = useVirtualizer({
    count,
    getScrollElement: () => box.current,
    estimateSize: () => LINE_PX,
    overscan: 20,
    initialRect: { width: 500, height: 600 },
  });
  return (
    <div ref={box} className="code many" role="region" aria-label={label} tabIndex={0}>
      <div style={{ height: list.getTotalSize(), position: 'relative' }}>
        {list.getVirtualItems().map((v) => {
          const { className, children } = line(v.index);
          return (
            <div
              key={v.key}
              className={className}
              style={{ position: 'absolute', top: v.start, left: 0, height: LINE_PX }}
            >
              {children}
            </div>
          );
        })}
      </div>
    </div>
  );
}
