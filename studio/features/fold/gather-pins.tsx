'use client';
import { ChoiceRow, ExpressionRow, JsonRow, moved, NumberRow, RowMoves, TextRow } from './fields';
import { LineLink, type PinProps, type Step } from './line-pins';
import { milliseconds } from './track';

const FAILURES = [
  ['fail', 'all of it fails'],
  ['leaveOut', 'leave it out'],
  ['default', 'this value instead'],
] as const;

/** Lines that run at the same time; how long each took, and what it would be one after the other. */
export function GatherPin({ step, at, seen, readOnly, onChange, onOpen }: PinProps<'gather'>) {
  const notes = seen?.notes as
    | { lines?: Record<string, { ms: number; failed?: string }>; inSeriesMs?: number; ms?: number; critical?: string }
    | undefined;
  const set = (lines: Step<'gather'>['lines']) => onChange({ ...step, lines });
  const longest = Math.max(1, ...Object.values(notes?.lines ?? {}).map((l) => l.ms));
  return (
    <div className="pin-form">
      {notes?.ms !== undefined && (
        <div className="pin-box">
          <strong className="spruce">{milliseconds(notes.ms)}</strong> at the same time,{' '}
          {milliseconds(notes.inSeriesMs ?? 0)} one after the other
        </div>
      )}
      {step.lines.map((line, i) => {
        const own = notes?.lines?.[line.name];
        const critical = notes?.critical === `/lines/${i}/flow`;
        return (
          <div key={i} className={`pin-line ${critical ? 'lit' : ''}`}>
            <div className="row">
              <TextRow
                hideLabel
                mono
                label={`Name of line ${i + 1}`}
                value={line.name}
                readOnly={readOnly}
                onChange={(name) => {
                  if (name !== undefined && /^[A-Za-z_][A-Za-z0-9_]*$/.test(name))
                    set(step.lines.map((l, n) => (n === i ? { ...l, name } : l)));
                }}
              />
              <LineLink at={`${at}/lines/${i}/flow`} steps={line.flow.length} onOpen={onOpen} />
              <RowMoves
                index={i}
                count={step.lines.length}
                what={`line ${line.name}`}
                readOnly={readOnly}
                onMove={(to) => set(moved(step.lines, i, to))}
                onRemove={step.lines.length > 1 ? () => set(step.lines.filter((_l, n) => n !== i)) : undefined}
              />
            </div>
            {own && (
              <div className="row" title={own.failed}>
                <span className="time-bar">
                  <span
                    style={{ width: `${Math.max(2, (own.ms / longest) * 100)}%` }}
                    className={own.failed ? 'failed' : ''}
                  />
                </span>
                <span className={own.failed ? 'rust' : 'soft'}>
                  {own.failed ? 'failed, ' : ''}
                  {milliseconds(own.ms)}
                  {critical ? ', the slowest' : ''}
                </span>
              </div>
            )}
            <div className="row">
              <span className="soft nowrap">if it fails</span>
              <ChoiceRow
                hideLabel
                label={`If ${line.name} fails`}
                value={line.onFailure ?? 'fail'}
                options={FAILURES}
                readOnly={readOnly}
                onChange={(onFailure) =>
                  set(
                    step.lines.map((l, n) =>
                      n === i ? { ...l, onFailure: onFailure === 'fail' ? undefined : onFailure } : l,
                    ),
                  )
                }
              />
            </div>
            {line.onFailure === 'default' && (
              <JsonRow
                label="Value instead, JSON"
                value={line.default}
                readOnly={readOnly}
                onChange={(value) => set(step.lines.map((l, n) => (n === i ? { ...l, default: value } : l)))}
              />
            )}
          </div>
        );
      })}
      {!readOnly && (
        <button
          className="plain spruce"
          onClick={() => set([...step.lines, { name: freeName(step.lines.map((l) => l.name)), flow: [] }])}
        >
          Add a line
        </button>
      )}
      <NumberRow
        label="A line that takes longer has failed (milliseconds)"
        value={step.timeoutMs}
        least={1}
        most={600_000}
        placeholder="no limit"
        readOnly={readOnly}
        onChange={(timeoutMs) => onChange({ ...step, timeoutMs })}
      />
    </div>
  );
}

const freeName = (taken: readonly string[]): string => {
  for (let n = taken.length + 1; ; n++) if (!taken.includes(`line${n}`)) return `line${n}`;
};

export function EachPin({ step, at, seen, rows, readOnly, onChange, onOpen }: PinProps<'each'>) {
  const notes = seen?.notes as
    { items?: number; inSeriesMs?: number; failed?: { item: number; failed: string }[] } | undefined;
  return (
    <div className="pin-form">
      <ExpressionRow
        label="List"
        value={step.items}
        rows={rows}
        readOnly={readOnly}
        onChange={(t) => t.trim() && onChange({ ...step, items: t })}
      />
      {notes?.items !== undefined && (
        <div className="pin-box">
          <strong className="spruce">{notes.items}</strong> items, {milliseconds(seen!.ms)} together,{' '}
          {milliseconds(notes.inSeriesMs ?? 0)} one after the other
          {notes.failed?.map((f) => (
            <div key={f.item} className="rust">
              item {f.item}: {f.failed}
            </div>
          ))}
        </div>
      )}
      <div className="row">
        <span className="grow soft">steps for each item</span>
        <LineLink at={`${at}/flow`} steps={step.flow.length} onOpen={onOpen} />
      </div>
      <TextRow
        label="Variable that holds the item"
        mono
        value={step.as}
        placeholder="item, read as vars.item"
        readOnly={readOnly}
        onChange={(as) => onChange({ ...step, as })}
      />
      <NumberRow
        label="How many at the same time"
        value={step.atOnce}
        least={1}
        most={100}
        placeholder="5"
        readOnly={readOnly}
        onChange={(atOnce) => onChange({ ...step, atOnce })}
      />
      <NumberRow
        label="Most items"
        value={step.most}
        least={1}
        most={10_000}
        placeholder="1000"
        readOnly={readOnly}
        onChange={(most) => onChange({ ...step, most })}
      />
      <ChoiceRow
        label="If an item fails"
        value={step.onFailure ?? 'fail'}
        options={FAILURES}
        readOnly={readOnly}
        onChange={(f) => onChange({ ...step, onFailure: f === 'fail' ? undefined : f })}
      />
      {step.onFailure === 'default' && (
        <JsonRow
          label="Value instead, JSON"
          value={step.default}
          readOnly={readOnly}
          onChange={(v) => onChange({ ...step, default: v })}
        />
      )}
    </div>
  );
}
