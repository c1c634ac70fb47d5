'use client';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, type ReactNode } from 'react';

interface Props<T> {
  readonly label: string;
  readonly items: readonly T[];
  readonly rowHeight: number;
  readonly empty: string;
  keyOf(item: T): string;
  readonly chosen?: string;
  onChoose(item: T): void;
  row(item: T): ReactNode;
}

/** A list of any length of which only what is seen is drawn. Arrow keys walk it, Home and End jump. */
export function LongList<T>({ label, items, rowHeight, empty, keyOf, chosen, onChoose, row }: Props<T>) {
  const box = useRef<HTMLDivElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing of it goes to a memoized child
  const list = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 12,
    initialRect: { width: 230, height: 560 },
  });
  const at = items.findIndex((i) => keyOf(i) === chosen);
  const go = (n: number) => {
    const to = Math.max(0, Math.min(items.length - 1, n));
    if (!items[to]) return;
    onChoose(items[to]);
    list.scrollToIndex(to);
  };
  if (!items.length)
    return (
      <div className="soft" style={{ padding: '8px 12px' }}>
        {empty}
      </div>
    );
  return (
    <div
      ref={box}
      role="listbox"
      aria-label={label}
      tabIndex={0}
      aria-activedescendant={at < 0 ? undefined : `${label}-${at}`}
      style={{ overflow: 'auto', flex: 1, minHeight: 0 }}
      onKeyDown={(e) => {
        const move = {
          ArrowDown: at + 1,
          ArrowUp: at - 1,
          Home: 0,
          End: items.length - 1,
          PageDown: at + 15,
          PageUp: at - 15,
        }[e.key];
        if (move === undefined) return;
        e.preventDefault();
        go(move);
      }}
    >
      <div style={{ height: list.getTotalSize(), position: 'relative' }}>
        {list.getVirtualItems().map((v) => {
          const item = items[v.index]!;
          const is = v.index === at;
          return (
            <div
              key={v.key}
              id={`${label}-${v.index}`}
              role="option"
              aria-selected={is}
              aria-setsize={items.length}
              aria-posinset={v.index + 1}
              onClick={() => onChoose(item)}
              className="list-option"
              style={{
                position: 'absolute',
                insetInline: 0,
                height: rowHeight,
                transform: `translateY(${v.start}px)`,
                background: is ? 'var(--spruce-wash)' : undefined,
                fontWeight: is ? 600 : 400,
              }}
            >
              {row(item)}
            </div>
          );
        })}
      </div>
    </div>
  );
}
