'use client';
import { useDraggable, useDroppable } from '@dnd-kit/core';
import type { TypeRow } from '@hinge/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef } from 'react';
import { brief, valuesAt } from './values';

interface Props {
  readonly rows: readonly TypeRow[];
  readonly value: unknown;
  /** Values that this pin made stand in brass, values as they came in spruce. */
  readonly made?: boolean;
  readonly side: 'left' | 'right';
  readonly chosen?: string;
  readonly lit?: ReadonlySet<string>;
  readonly faulty?: ReadonlySet<string>;
  readonly onChoose?: (pointer: string) => void;
  readonly joinable?: boolean;
  readonly label: string;
  /** Rows from here on are not of this message but in reach besides it. */
  readonly reachFrom?: number;
  /** Rows that curves begin or end at. */
  readonly anchors?: ReadonlySet<string>;
}

const GROUPS: Record<string, string> = {
  path: 'path',
  query: 'query',
  headers: 'headers',
  cookies: 'cookies',
  soapHeader: 'header',
  body: 'body',
};

/** Captions over the first row of each part of a message; a message of one part needs none. */
function headsOf(rows: readonly TypeRow[], reachFrom: number | undefined): (string | undefined)[] {
  const groups = rows.map((r, i) =>
    reachFrom !== undefined && i >= reachFrom ? 'reach' : (r.pointer.split('/')[1] ?? ''),
  );
  const several = new Set(groups.filter((g) => g !== 'reach')).size > 1;
  return groups.map((g, i) =>
    g === groups[i - 1] ? undefined : g === 'reach' ? 'also in reach' : several ? GROUPS[g] : undefined,
  );
}

/** A row that can be dragged out of the left tree and dropped on the right one. The keyboard joins by Enter, see the Fold. */
function JoinRow({
  side,
  pointer,
  className,
  style,
  ...rest
}: React.HTMLAttributes<HTMLDivElement> & { side: 'left' | 'right' | undefined; pointer: string }) {
  const drag = useDraggable({ id: `left ${pointer}`, data: { pointer }, disabled: side !== 'left' });
  const drop = useDroppable({ id: `right ${pointer}`, data: { pointer }, disabled: side !== 'right' });
  const { x, y } = drag.transform ?? { x: 0, y: 0 };
  return (
    <div
      {...rest}
      ref={side === 'left' ? drag.setNodeRef : side === 'right' ? drop.setNodeRef : undefined}
      {...(side === 'left' && { onPointerDown: drag.listeners?.onPointerDown as React.PointerEventHandler })}
      className={`${className} ${drop.isOver ? 'over' : ''} ${drag.isDragging ? 'dragged' : ''} ${side === 'left' ? 'grip' : ''}`}
      style={drag.isDragging ? { ...style, transform: `translate(${x}px, ${y}px)` } : style}
    />
  );
}

/** From here on only the rows that are seen are drawn. */
const MANY = 200;
const ROW_PX = 27;
const HEAD_PX = 34;

/** A message as a tree of its typed fields with the values that stand in them now. */
export function MessageTree(p: Props) {
  const { rows, label, reachFrom } = p;
  const heads = useMemo(() => headsOf(rows, reachFrom), [rows, reachFrom]);
  if (rows.length > MANY) return <Seen {...p} heads={heads} />;
  const known = p.chosen === undefined || rows.some((r) => r.pointer === p.chosen);
  const move = (from: HTMLElement, by: number) => {
    const all = [...from.closest('.tree')!.querySelectorAll<HTMLElement>('[role=treeitem]')];
    all[all.indexOf(from) + by]?.focus();
  };
  return (
    <div className="tree" role="tree" aria-label={label}>
      {rows.map((r, i) => (
        <div key={r.pointer} role="none">
          {heads[i] && <div className="tree-group">{heads[i]}</div>}
          <Row
            {...p}
            row={r}
            reached={r.pointer === (p.chosen ?? rows[0]?.pointer) || (i === 0 && !known)}
            onMove={move}
          />
        </div>
      ))}
    </div>
  );
}

/** The rows in view of a long tree; those that are joined keep a mark in their place, so that curves know where to go. */
function Seen(p: Props & { heads: readonly (string | undefined)[] }) {
  const { rows, label, heads, side, anchors } = p;
  const box = useRef<HTMLDivElement>(null);
  const wanted = useRef<string>(undefined);
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing of it goes to a memoized child
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current?.closest<HTMLElement>('.leaf-body') ?? null,
    estimateSize: (i) => (heads[i] ? ROW_PX + HEAD_PX : ROW_PX),
    overscan: 10,
    initialRect: { width: 400, height: 600 },
  });
  // The field that is being filled comes into view when it is chosen from elsewhere, e.g. from a finding.
  const { chosen } = p;
  useEffect(() => {
    const at = chosen ? rows.findIndex((r) => r.pointer === chosen) : -1;
    if (at >= 0) list.scrollToIndex(at, { align: 'auto' });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- scrolls when another field is chosen, not when rows are drawn anew
  }, [chosen]);
  useEffect(() => {
    if (wanted.current === undefined) return;
    const el = box.current?.querySelector<HTMLElement>(`[data-pointer="${CSS.escape(wanted.current)}"][role=treeitem]`);
    if (!el) return;
    wanted.current = undefined;
    el.focus({ preventScroll: true });
  });
  const move = (from: HTMLElement, by: number) => {
    const at = rows.findIndex((r) => r.pointer === from.dataset.pointer) + by;
    if (at < 0 || at >= rows.length) return;
    wanted.current = rows[at]!.pointer;
    list.scrollToIndex(at, { align: 'auto' });
    const el = box.current?.querySelector<HTMLElement>(`[data-pointer="${CSS.escape(wanted.current)}"][role=treeitem]`);
    if (el) {
      wanted.current = undefined;
      el.focus({ preventScroll: true });
    }
  };
  const items = list.getVirtualItems();
  const drawn = new Set(items.map((v) => rows[v.index]?.pointer));
  // The key Tab comes to the chosen row, or to the first that is drawn.
  const entry = chosen ?? rows[0]?.pointer;
  const reached = drawn.has(entry) ? entry : rows[items[0]?.index ?? 0]?.pointer;
  const starts = useMemo(() => {
    let y = 0;
    return rows.map((_r, i) => {
      const top = y + (heads[i] ? HEAD_PX : 0);
      y = top + ROW_PX;
      return top;
    });
  }, [rows, heads]);
  return (
    <div ref={box} className="tree" role="tree" aria-label={label} style={{ height: list.getTotalSize() }}>
      {rows.map((r, i) =>
        anchors?.has(r.pointer) && !drawn.has(r.pointer) ? (
          <i key={`mark ${r.pointer}`} data-pointer={r.pointer} data-side={side} style={{ top: starts[i] }} />
        ) : null,
      )}
      {items.map((v) => {
        const r = rows[v.index];
        if (!r) return null;
        return (
          <div key={r.pointer} role="none" className="placed" style={{ top: v.start }}>
            {heads[v.index] && (
              <div className="tree-group" style={{ height: HEAD_PX }}>
                {heads[v.index]}
              </div>
            )}
            <Row {...p} row={r} reached={r.pointer === reached} place={[v.index + 1, rows.length]} onMove={move} />
          </div>
        );
      })}
    </div>
  );
}

function Row({
  row: r,
  reached,
  place,
  onMove,
  ...p
}: Props & {
  row: TypeRow;
  /** The key Tab comes to this row. */
  reached: boolean;
  place?: readonly [number, number];
  onMove: (from: HTMLElement, by: number) => void;
}) {
  const { value, made, side, chosen, lit, faulty, onChoose, joinable } = p;
  const classes = [
    'tree-row',
    r.pointer === chosen ? 'chosen' : '',
    lit?.has(r.pointer) ? 'lit' : '',
    faulty?.has(r.pointer) ? 'faulty' : '',
  ].join(' ');
  return (
    <JoinRow
      side={joinable ? side : undefined}
      pointer={r.pointer}
      role="treeitem"
      aria-level={Math.max(0, r.depth) + 1}
      aria-selected={r.pointer === chosen}
      aria-posinset={place?.[0]}
      aria-setsize={place?.[1]}
      tabIndex={onChoose && reached ? 0 : -1}
      data-pointer={r.pointer}
      data-side={side}
      className={classes}
      style={{ paddingLeft: 16 + Math.max(0, r.depth) * 15, cursor: onChoose ? 'pointer' : 'default' }}
      title={r.description}
      onClick={() => onChoose?.(r.pointer)}
      onKeyDown={(e) => {
        if (e.key === 'Enter' || e.key === ' ') {
          e.preventDefault();
          e.stopPropagation();
          onChoose?.(r.pointer);
        } else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
          e.preventDefault();
          onMove(e.currentTarget, e.key === 'ArrowDown' ? 1 : -1);
        }
      }}
    >
      <span className="name" title={r.name.length > 30 ? r.name : undefined}>
        {r.name}
      </span>
      <span className="words">
        {r.words}
        {r.nullable ? ' or null' : ''}
      </span>
      {r.required && side === 'right' && <span className="needed">needed</span>}
      <span className={`value ${made ? 'brass' : 'spruce'}`}>{brief(valuesAt(value, r.pointer, 8))}</span>
    </JoinRow>
  );
}
