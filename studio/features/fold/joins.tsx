'use client';
import { compileExpression, type StepDocument } from '@hinge/core';
import { useLayoutEffect, useRef, useState, type RefObject } from 'react';

export interface Join {
  readonly to: string;
  readonly from: readonly string[];
  readonly plain: boolean;
}

/** Which source fields each target field draws from, told from the expressions themselves. */
export function joinsOf(step: Extract<StepDocument, { kind: 'map' }>): Join[] {
  const joins: Join[] = [];
  for (const f of step.fields ?? []) {
    try {
      const e = compileExpression(f.from);
      joins.push({ to: f.to, from: e.reads.map((r) => `/${r.join('/')}`), plain: e.path !== undefined });
    } catch {
      joins.push({ to: f.to, from: [], plain: false });
    }
  }
  return joins;
}

interface Curve {
  readonly key: string;
  readonly d: string;
  readonly x: number;
  readonly y: number;
  readonly active: boolean;
  readonly plain: boolean;
}

/** Curves from the rows of the left tree to those of the right one, measured from the screen. */
export function Joins({
  frame,
  joins,
  chosen,
}: {
  frame: RefObject<HTMLDivElement | null>;
  joins: readonly Join[];
  chosen: string | undefined;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [curves, setCurves] = useState<Curve[]>([]);
  const [attempt, setAttempt] = useState(0);
  useLayoutEffect(() => {
    const root = frame.current;
    if (!root) {
      // The frame stands around this: at the first drawing it is not there yet.
      const later = requestAnimationFrame(() => setAttempt((n) => n + 1));
      return () => cancelAnimationFrame(later);
    }
    const measure = () => setCurves(measureJoins(root, svg.current, joins, chosen));
    measure();
    const again = requestAnimationFrame(measure);
    const watch = new ResizeObserver(measure);
    watch.observe(root);
    root.addEventListener('scroll', measure, true);
    const changes = new MutationObserver(measure);
    changes.observe(root, { childList: true, subtree: true });
    return () => {
      cancelAnimationFrame(again);
      watch.disconnect();
      changes.disconnect();
      root.removeEventListener('scroll', measure, true);
    };
  }, [frame, joins, chosen, attempt]);
  return (
    <svg ref={svg} className="joins" aria-hidden>
      {[...curves]
        .sort((a, b) => Number(a.active) - Number(b.active))
        .map((c) => (
          <g key={c.key} className={`${c.active ? 'active' : ''} ${c.plain ? '' : 'made'}`}>
            <path d={c.d} />
            {!c.plain && (
              <>
                <rect x={c.x - 13} y={c.y - 9} width="26" height="18" rx="9" />
                <text x={c.x} y={c.y + 4} textAnchor="middle">
                  ƒ
                </text>
              </>
            )}
          </g>
        ))}
    </svg>
  );
}

function measureJoins(
  root: HTMLElement,
  svg: SVGSVGElement | null,
  joins: readonly Join[],
  chosen: string | undefined,
): Curve[] {
  if (!svg) return [];
  const box = svg.getBoundingClientRect();
  const find = (side: string, pointer: string): Element | undefined => {
    // A field inside what is joined as a whole: the nearest row above it.
    for (let p = pointer; p; p = p.slice(0, p.lastIndexOf('/'))) {
      const row = root.querySelector(`[data-side="${side}"][data-pointer="${CSS.escape(p)}"]`);
      if (row) return row;
    }
    return undefined;
  };
  const middle = (el: Element): number => {
    const r = el.getBoundingClientRect();
    const pane = el.closest('.leaf-body')!.getBoundingClientRect();
    return Math.min(Math.max(r.top + r.height / 2, pane.top), pane.bottom) - box.top;
  };
  const out: Curve[] = [];
  for (const join of joins) {
    const right = find('right', join.to);
    if (!right) continue;
    const y2 = middle(right);
    for (const source of join.from) {
      const left = find('left', source);
      if (!left) continue;
      const y1 = middle(left);
      const w = box.width;
      out.push({
        key: `${join.to} ${source}`,
        d: `M 0 ${y1} C ${w * 0.45} ${y1}, ${w * 0.55} ${y2}, ${w} ${y2}`,
        x: w / 2,
        y: (y1 + y2) / 2,
        active: join.to === chosen,
        plain: join.plain,
      });
    }
  }
  return out;
}
