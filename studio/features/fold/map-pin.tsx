'use client';
import {
  coverageOf,
  fieldsOf,
  itemRows,
  splitBody,
  wholeOf,
  type Finding,
  type StepDocument,
  type TypeRow,
} from '@hinge/core';
import { useEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { ExpressionEditor } from './expression-editor';
import { ChoiceRow } from './fields';
import { Builder } from './builder';
import { ItemsEditor } from './items-editor';
import { Joins, joinsOf } from './joins';
import { Suggestions } from './suggestions';
import { brief, valuesAt } from './values';
import type { FoldWorld } from './world';

export type MapStep = Extract<StepDocument, { kind: 'map' }>;

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
  const bodies = bodiesOfTarget(step, world);
  const field = step.fields?.find((f) => f.to === chosen);
  const fieldIndex = step.fields?.findIndex((f) => f.to === chosen) ?? -1;
  const row = targetRows.find((r) => r.pointer === chosen);
  const taken = step.fields?.findLast((f) => f.to === '/body')?.from;
  const split = useMemo(() => splitBody({ fields: step.fields }, targetRows), [step.fields, targetRows]);
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
            width={180}
            value={typeof step.to === 'string' ? `= ${step.to}` : `${step.to.backend ?? ''} ${step.to.operation}`}
            options={targetsOf(world)}
            onChange={(v) => {
              const cut = v.indexOf(' ');
              const backend = v.slice(0, cut) || undefined;
              onChange({
                ...step,
                to:
                  v === '= reply' || v === '= request'
                    ? (v.slice(2) as 'reply' | 'request')
                    : { ...(backend !== undefined && { backend }), operation: v.slice(cut + 1) },
              });
            }}
          />
        )}
        <span className="grow" />
        {coverage.required > 0 && (
          <span className={`nowrap ${coverage.missing.length ? 'rust' : 'spruce'}`} title={coverage.missing.join('\n')}>
            {coverage.filled} of {coverage.required} required
          </span>
        )}
        {!readOnly && (
          <button
            className="plain soft nowrap"
            title="The same map as one JSONata text, and back where that is possible"
            onClick={() => onChange({ ...step, ...(step.whole === undefined ? wholeOf(step) : fieldsOf(step)) })}
          >
            {step.whole === undefined ? 'as text' : 'as fields'}
          </button>
        )}
      </div>
      {bodies && (
        <div className="row soft" style={{ padding: '2px 14px', position: 'relative', zIndex: 1, fontSize: 12 }}>
          <span className="nowrap">sent as</span>
          <ChoiceRow
            hideLabel
            label="Which body it gets"
            width={250}
            value={(typeof step.to === 'object' && step.to.mediaType) || ''}
            options={[['', 'the body that came in'], ...bodies.map((m) => [m, m] as const)]}
            readOnly={readOnly}
            onChange={(m) => {
              if (typeof step.to === 'object') onChange({ ...step, to: { ...step.to, mediaType: m || undefined } });
            }}
          />
        </div>
      )}
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
      {!chosen && taken !== undefined && step.whole === undefined && (
        <div className="pin-card">
          <div className="row">
            <span className="soft">the whole body is</span>
            <code className="brass cut">{taken}</code>
            <span className="grow" />
            {!readOnly && split && (
              <button
                className="plain spruce nowrap"
                title="One join for each member of the body, to change them one by one"
                onClick={() => onChange({ ...step, ...split })}
              >
                field by field
              </button>
            )}
          </div>
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
          <FieldTools
            key={`tools ${chosen}`}
            row={row}
            text={field?.from ?? ''}
            sourceRows={sourceRows}
            targetRows={targetRows}
            after={after}
            readOnly={readOnly}
            onChange={change}
          />
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

/** Rows for a list that is made of a list; ready expressions for one value. */
function FieldTools({
  row,
  text,
  sourceRows,
  targetRows,
  after,
  readOnly,
  onChange,
}: {
  row: TypeRow | undefined;
  text: string;
  sourceRows: readonly TypeRow[];
  targetRows: readonly TypeRow[];
  after: unknown;
  readOnly?: boolean;
  onChange: (text: string) => void;
}) {
  if (!row) return null;
  const inner = itemRows(targetRows, row.pointer);
  if (row.many && inner.length)
    return (
      <ItemsEditor
        text={text}
        sourceRows={sourceRows}
        targetRows={inner}
        values={valuesAt(after, `${row.pointer}/*`)}
        readOnly={readOnly}
        onChange={onChange}
      />
    );
  if (readOnly || !row.leaf) return null;
  return <Builder rows={sourceRows} onBuild={onChange} />;
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

/** Media types to choose from, where the operation that the map writes for takes several bodies. */
function bodiesOfTarget({ to }: MapStep, world: FoldWorld): readonly string[] | undefined {
  return typeof to === 'object' && to.backend !== undefined
    ? world.backends[to.backend]?.find((o) => o.id === to.operation)?.bodies
    : undefined;
}

function targetsOf(world: FoldWorld): [string, string][] {
  return [
    ['= reply', 'the reply'],
    ['= request', 'the request, in another shape'],
    ...Object.entries(world.backends).flatMap(([b, operations]) =>
      operations.filter((o) => !o.unusable).map((o): [string, string] => [`${b} ${o.id}`, `${o.id} of ${b}`]),
    ),
    ...world.inner.map((o): [string, string] => [` ${o}`, `${o}, inside`]),
  ];
}
