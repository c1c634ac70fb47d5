'use client';
import {
  compileExpression,
  coverageOf,
  fieldsOf,
  wholeOf,
  type Finding,
  type StepDocument,
  type TypeRow,
} from '@hinge/core';
import { useEffect, useLayoutEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { ExpressionEditor } from './expression-editor';
import { ChoiceRow } from './fields';
import { Suggestions } from './suggestions';
import { brief, valuesAt } from './values';
import type { FoldWorld } from './world';

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
  readonly at: string;
  readonly operationId: string;
  readonly world: FoldWorld;
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
  readonly onChoose: (pointer: string) => void;
}

/** Between the two trees of a map: the joins, and the expression of the chosen field. */
export function MapPin({
  step,
  at,
  operationId,
  world,
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
  onChoose,
}: Props) {
  const joins = useMemo(() => joinsOf(step), [step]);
  const coverage = useMemo(
    () => coverageOf(targetRows, step.whole === undefined ? (step.fields ?? []).map((f) => f.to) : ['/body']),
    [targetRows, step.fields, step.whole],
  );
  const field = step.fields?.find((f) => f.to === chosen);
  const fieldIndex = step.fields?.findIndex((f) => f.to === chosen) ?? -1;
  const row = targetRows.find((r) => r.pointer === chosen);
  const root = `/operations/${operationId}/flow${at}/fields/${fieldIndex}/`;
  const own = findings.filter((f) => f.place.pointer === `${root}from` || f.place.pointer === `${root}to`);
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
      <div className="row" style={{ padding: '2px 14px', position: 'relative', zIndex: 1, fontSize: 12 }}>
        {!readOnly && (
          <ChoiceRow
            hideLabel
            label="What the map makes"
            width={210}
            value={step.to === 'reply' ? '' : `${step.to.backend ?? ''} ${step.to.operation}`}
            options={targetsOf(world)}
            onChange={(v) => {
              const cut = v.indexOf(' ');
              const backend = v.slice(0, cut) || undefined;
              onChange({
                ...step,
                to: v === '' ? 'reply' : { ...(backend !== undefined && { backend }), operation: v.slice(cut + 1) },
              });
            }}
          />
        )}
        <span className="grow" />
        {coverage.required > 0 && (
          <span className={coverage.missing.length ? 'rust' : 'spruce'} title={coverage.missing.join('\n')}>
            {coverage.filled} of {coverage.required} required
          </span>
        )}
        {!readOnly && (
          <button
            className="plain soft"
            title="The same map as one JSONata text, and back where that is possible"
            onClick={() => onChange({ ...step, ...(step.whole === undefined ? wholeOf(step) : fieldsOf(step)) })}
          >
            {step.whole === undefined ? 'as text' : 'as fields'}
          </button>
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
      {!readOnly && !chosen && step.whole === undefined && (
        <Suggestions
          step={step}
          sourceRows={sourceRows}
          targetRows={targetRows}
          onChange={onChange}
          onChoose={onChoose}
        />
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
            <button className="plain soft" aria-label="Close the field" onClick={() => onChoose('')}>
              ×
            </button>
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

function targetsOf(world: FoldWorld): [string, string][] {
  return [
    ['', 'the reply'],
    ...Object.entries(world.backends).flatMap(([b, operations]) =>
      operations.filter((o) => !o.unusable).map((o): [string, string] => [`${b} ${o.id}`, `${o.id} of ${b}`]),
    ),
    ...world.inner.map((o): [string, string] => [` ${o}`, `${o}, inside`]),
  ];
}
