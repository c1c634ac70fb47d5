'use client';
import { useDraggable, useDroppable } from '@dnd-kit/core';
import type { TypeRow } from '@hinge/core';
import { useMemo } from 'react';
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
}

const GROUPS: Record<string, string> = {
  path: 'path',
  query: 'query',
  headers: 'headers',
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

/** A message as a tree of its typed fields with the values that stand in them now. */
export function MessageTree(p: Props) {
  const { rows, value, made, side, chosen, lit, faulty, onChoose, joinable, label, reachFrom } = p;
  const heads = useMemo(() => headsOf(rows, reachFrom), [rows, reachFrom]);
  const move = (from: HTMLElement, by: number) => {
    const all = [...from.closest('.tree')!.querySelectorAll<HTMLElement>('[role=treeitem]')];
    all[all.indexOf(from) + by]?.focus();
  };
  return (
    <div className="tree" role="tree" aria-label={label}>
      {rows.map((r, i) => {
        const head = heads[i];
        const text = brief(valuesAt(value, r.pointer, 8));
        const classes = [
          'tree-row',
          r.pointer === chosen ? 'chosen' : '',
          lit?.has(r.pointer) ? 'lit' : '',
          faulty?.has(r.pointer) ? 'faulty' : '',
        ].join(' ');
        return (
          <div key={r.pointer} role="none">
            {head && <div className="tree-group">{head}</div>}
            <JoinRow
              side={joinable ? side : undefined}
              pointer={r.pointer}
              role="treeitem"
              aria-level={Math.max(0, r.depth) + 1}
              aria-selected={r.pointer === chosen}
              tabIndex={onChoose ? (r.pointer === (chosen ?? rows[0]?.pointer) ? 0 : -1) : -1}
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
                  move(e.currentTarget, e.key === 'ArrowDown' ? 1 : -1);
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
              <span className={`value ${made ? 'brass' : 'spruce'}`}>{text}</span>
            </JoinRow>
          </div>
        );
      })}
    </div>
  );
}
