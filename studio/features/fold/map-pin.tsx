'use client';
import { compileExpression, type Finding, type StepDocument, type TypeRow } from '@hinge/core';
import { useEffect, useLayoutEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { ExpressionEditor } from './expression-editor';
import { brief, valuesAt } from './values';

export type MapStep = Extract<StepDocument, { kind: 'map' }>;

export interface Join {
  readonly to: string;
  readonly from: readonly string[];
  readonly plain: boolean;
}

/** Which source fields each target field draws from, told from the expressions themselves. */
export function joinsOf(step: MapStep): Join[] {
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

interface Props {
  readonly step: MapStep;
  readonly index: number;
  readonly frame: RefObject<HTMLDivElement | null>;
  readonly sourceRows: readonly TypeRow[];
  readonly targetRows: readonly TypeRow[];
  readonly after: unknown;
  readonly chosen: string | undefined;
  readonly findings: readonly Finding[];
  readonly readOnly?: boolean;
  readonly focusEditor: number;
  readonly onChange: (step: MapStep) => void;
  readonly onLeave: () => void;
}

/** Between the two trees of a map: the joins, and the expression of the chosen field. */
export function MapPin({
  step,
  index,
  frame,
  sourceRows,
  targetRows,
  after,
  chosen,
  findings,
  readOnly,
  focusEditor,
  onChange,
  onLeave,
}: Props) {
  const joins = useMemo(() => joinsOf(step), [step]);
  const required = targetRows.filter((r) => r.required && r.leaf && !r.pointer.includes('*'));
  const covered = (pointer: string) =>
    step.whole !== undefined || (step.fields ?? []).some((f) => f.to === pointer || pointer.startsWith(`${f.to}/`));
  const filled = required.filter((r) => covered(r.pointer)).length;
  const field = step.fields?.find((f) => f.to === chosen);
  const fieldIndex = step.fields?.findIndex((f) => f.to === chosen) ?? -1;
  const row = targetRows.find((r) => r.pointer === chosen);
  const own = findings.filter(
    (f) =>
      f.place.pointer?.endsWith(`/flow/${index}/fields/${fieldIndex}/from`) ||
      f.place.pointer?.endsWith(`/flow/${index}/fields/${fieldIndex}/to`),
  );
  const change = (text: string) => {
    if (!chosen) return;
    const fields = step.fields ?? [];
    const next =
      text.trim() === ''
        ? fields.filter((f) => f.to !== chosen)
        : field
          ? fields.map((f) => (f.to === chosen ? { ...f, from: text } : f))
          : [...fields, { to: chosen, from: text }];
    onChange({ ...step, fields: next });
  };
  const values = chosen ? valuesAt(after, chosen) : [];
  const now = brief(values) || (values.length ? 'an object' : '');
  return (
    <>
      <div className="pin-head">
        <h2>map, pin {index + 1}</h2>
        <span className="grow" />
        {required.length > 0 && (
          <span className={filled === required.length ? 'spruce' : 'rust'}>
            {filled} of {required.length} required
          </span>
        )}
      </div>
      <Joins frame={frame} joins={joins} chosen={chosen} />
      {step.whole !== undefined && (
        <div className="pin-card" style={{ marginTop: 8 }}>
          <div className="row soft">
            <span>the whole body</span>
          </div>
          <ExpressionEditor
            label="Expression of the whole body"
            value={step.whole}
            rows={sourceRows}
            readOnly={readOnly}
            onChange={(whole) => onChange({ ...step, whole })}
          />
        </div>
      )}
      {chosen && (
        <div className="pin-card">
          <div className="row">
            <span className="mono">{chosen.split('/').slice(2).join(' / ')}</span>
            <span className="grow" />
            <span className="soft">
              {row?.words}
              {row?.required ? ', needed' : ''}
            </span>
          </div>
          <Expression
            key={chosen}
            text={field?.from ?? ''}
            rows={sourceRows}
            readOnly={readOnly}
            focus={focusEditor}
            label={`Expression for ${chosen}`}
            onChange={change}
            onLeave={onLeave}
          />
          <div className="pin-now">
            {own.length ? (
              own.map((f, i) => (
                <div key={i} className={f.severity === 'error' ? 'rust' : 'brass'} role="alert">
                  {f.message}. <span className="soft">{f.remedy}</span>
                </div>
              ))
            ) : (
              <>
                now <span className="brass mono">{now || 'nothing'}</span>
              </>
            )}
          </div>
        </div>
      )}
    </>
  );
}

/** Keeps what is typed, also when it is empty for a moment; hands on every change. */
function Expression({
  text,
  rows,
  readOnly,
  focus,
  label,
  onChange,
  onLeave,
}: {
  text: string;
  rows: readonly TypeRow[];
  readOnly?: boolean;
  focus: number;
  label: string;
  onChange: (t: string) => void;
  onLeave: () => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [typed, setTyped] = useState(text);
  const last = useRef(text);
  useEffect(() => {
    // Undo, or another's draft: what stands in the document wins.
    if (text !== last.current) {
      last.current = text;
      setTyped(text);
    }
  }, [text]);
  useEffect(() => {
    if (focus > 0) box.current?.querySelector<HTMLElement>('.cm-content')?.focus();
  }, [focus]);
  return (
    <div ref={box}>
      <ExpressionEditor
        label={label}
        autoFocus={focus > 0}
        value={typed}
        rows={rows}
        readOnly={readOnly}
        onLeave={onLeave}
        onChange={(t) => {
          setTyped(t);
          last.current = t.trim() === '' ? '' : t;
          onChange(t);
        }}
      />
    </div>
  );
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
function Joins({
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
  useLayoutEffect(() => {
    const root = frame.current;
    if (!root) return;
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
  }, [frame, joins, chosen]);
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
