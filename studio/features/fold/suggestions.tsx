'use client';
import { joinExpression, suggestFields, type TypeRow } from '@hinge/core';
import { useMemo, useState } from 'react';
import type { MapStep } from './map-pin';

interface Props {
  readonly step: MapStep;
  readonly sourceRows: readonly TypeRow[];
  readonly targetRows: readonly TypeRow[];
  readonly onChange: (step: MapStep) => void;
  readonly onChoose: (pointer: string) => void;
}

/** What a person would take without looking. */
const SURE = 0.8;
const SHOWN = 8;
/** Every field is held against every other: of very large types only the beginning. */
const MOST = 500;

/** Joins that names, types and places speak for; taken one by one, or all that are sure. */
export function Suggestions({ step, sourceRows, targetRows, onChange, onChoose }: Props) {
  const [all, setAll] = useState(false);
  const found = useMemo(() => {
    const filled = (step.fields ?? []).map((f) => f.to);
    // Fields inside of a list are joined by the list itself.
    const open = targetRows.filter(
      (t) =>
        !t.pointer.includes('/*') &&
        !filled.some((f) => f === t.pointer || t.pointer.startsWith(`${f}/`) || f.startsWith(`${t.pointer}/`)),
    );
    const sources = sourceRows.filter((s) => !s.pointer.includes('/*'));
    return suggestFields(
      sources.filter((s) => s.leaf || s.many).slice(0, MOST),
      open.filter((t) => t.leaf || t.many).slice(0, MOST),
      { least: 0.5 },
    );
  }, [step.fields, sourceRows, targetRows]);
  if (!found.length) return null;
  const take = (which: typeof found) => {
    const fields = which.map((s) => ({
      to: s.to,
      from: joinExpression(
        sourceRows.find((r) => r.pointer === s.from)!,
        targetRows.find((r) => r.pointer === s.to)!,
        sourceRows,
        targetRows,
      ),
    }));
    onChange({ ...step, fields: [...(step.fields ?? []), ...fields] });
  };
  const sure = found.filter((s) => s.score >= SURE);
  return (
    <div className="pin-card suggestions" role="group" aria-label="Suggested joins">
      <div className="row soft">
        <span className="grow">
          {found.length} {found.length === 1 ? 'join' : 'joins'} suggested
        </span>
        {sure.length > 0 && (
          <button className="plain spruce" onClick={() => take(sure)}>
            Take the {sure.length} above {SURE * 100} %
          </button>
        )}
      </div>
      <div className="suggestion-list">
        {(all ? found : found.slice(0, SHOWN)).map((s) => (
          <div key={`${s.from} ${s.to}`} className="row suggestion">
            <button
              className="plain mono cut grow"
              onClick={() => onChoose(s.to)}
              title={`${s.from} → ${s.to}, ${s.why}`}
            >
              {short(s.from)} → {short(s.to)}
            </button>
            <span className="soft nowrap">
              {Math.round(s.score * 100)} %, {s.why}
            </span>
            <button
              className="plain spruce"
              aria-label={`Take ${short(s.from)} for ${short(s.to)}`}
              onClick={() => take([s])}
            >
              take
            </button>
          </div>
        ))}
      </div>
      {!all && found.length > SHOWN && (
        <button className="plain soft suggestion" style={{ textAlign: 'left' }} onClick={() => setAll(true)}>
          {found.length - SHOWN} more
        </button>
      )}
    </div>
  );
}

const short = (pointer: string): string => pointer.split('/').slice(2).join('.') || pointer.slice(1);
