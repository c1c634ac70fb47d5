'use client';
import type { ShownStep, StepDocument, TypeRow } from '@hinge/core';
import { ConditionEditor, freshCondition } from './condition-editor';
import { ChoiceRow, ExpressionRow, moved, RowMoves, TextRow } from './fields';
import { RememberAge } from './remember-age';
import { ListRow } from './list-row';

export type Step<K extends StepDocument['kind']> = Extract<StepDocument, { kind: K }>;

export interface PinProps<K extends StepDocument['kind']> {
  readonly step: Step<K>;
  readonly at: string;
  readonly seen: ShownStep | undefined;
  readonly rows: readonly TypeRow[];
  readonly readOnly?: boolean;
  /** Pointers of lines that no case reaches. */
  readonly unreached?: ReadonlySet<string>;
  readonly onCase?: (line: string) => void;
  readonly onChange: (step: StepDocument) => void;
  readonly onOpen: (at: string) => void;
}

const stepsWords = (n: number): string => (n === 1 ? '1 step' : `${n} steps`);

export function LineLink({ at, steps, onOpen }: { at: string; steps: number; onOpen: (at: string) => void }) {
  return steps ? (
    <button className="plain spruce" onClick={() => onOpen(`${at}/0`)}>
      {stepsWords(steps)}
    </button>
  ) : (
    <span className="soft">no steps yet</span>
  );
}

function Unreached({
  at,
  lines,
  onCase,
}: {
  at: string;
  lines?: ReadonlySet<string>;
  onCase?: (line: string) => void;
}) {
  if (!lines?.has(at)) return null;
  return (
    <div className="brass">
      no case reaches this line{' '}
      {onCase && (
        <button className="plain spruce" onClick={() => onCase(at)}>
          make one
        </button>
      )}
    </div>
  );
}

/** Conditions line by line; the one that the rehearsal took is lit. */
export function ChoosePin({ step, at, seen, rows, readOnly, unreached, onCase, onChange, onOpen }: PinProps<'choose'>) {
  const taken = seen?.notes?.taken;
  const set = (lines: Step<'choose'>['lines']) => onChange({ ...step, lines });
  return (
    <div className="pin-form">
      {step.lines.map((line, i) => {
        const pointer = `/lines/${i}/flow`;
        return (
          <div key={i} className={`pin-line ${taken === pointer ? 'lit' : ''}`}>
            <div className="row">
              <TextRow
                hideLabel
                label={`Name of line ${i + 1}`}
                value={line.name}
                placeholder={`line ${i + 1}`}
                readOnly={readOnly}
                onChange={(name) => set(step.lines.map((l, n) => (n === i ? { ...l, name } : l)))}
              />
              <LineLink at={at + pointer} steps={line.flow.length} onOpen={onOpen} />
              <RowMoves
                index={i}
                count={step.lines.length}
                what={`line ${i + 1}`}
                readOnly={readOnly}
                onMove={(to) => set(moved(step.lines, i, to))}
                onRemove={step.lines.length > 1 ? () => set(step.lines.filter((_l, n) => n !== i)) : undefined}
              />
            </div>
            <ConditionEditor
              label={`Condition of line ${i + 1}`}
              value={line.when}
              rows={rows}
              readOnly={readOnly}
              onChange={(when) => set(step.lines.map((l, n) => (n === i ? { ...l, when } : l)))}
            />
            {taken === pointer && <div className="spruce">taken by this request</div>}
            <Unreached at={at + pointer} lines={unreached} onCase={readOnly ? undefined : onCase} />
          </div>
        );
      })}
      <div className={`pin-line ${taken === '/otherwise' ? 'lit' : ''}`}>
        <div className="row">
          <strong className="grow">otherwise</strong>
          {step.otherwise ? (
            <LineLink at={`${at}/otherwise`} steps={step.otherwise.length} onOpen={onOpen} />
          ) : (
            <span className="soft">the message goes on as it is</span>
          )}
        </div>
        {taken === '/otherwise' && <div className="spruce">taken by this request</div>}
        <Unreached at={`${at}/otherwise`} lines={unreached} onCase={readOnly ? undefined : onCase} />
      </div>
      {!readOnly && (
        <div className="row">
          <button
            className="plain spruce"
            onClick={() => set([...step.lines, { when: freshCondition(rows), flow: [] }])}
          >
            Add a line
          </button>
          {!step.otherwise && (
            <button className="plain spruce" onClick={() => onChange({ ...step, otherwise: [] })}>
              Add steps for otherwise
            </button>
          )}
        </div>
      )}
    </div>
  );
}

export function AttemptPin({
  step,
  at,
  seen,
  rows,
  readOnly,
  unreached,
  onCase,
  onChange,
  onOpen,
}: PinProps<'attempt'>) {
  const notes = seen?.notes as
    { taken?: string; failure?: { status: number; reason: string; backend?: string } } | undefined;
  const set = (failures: Step<'attempt'>['failures']) => onChange({ ...step, failures });
  return (
    <div className="pin-form">
      <div className={`pin-line ${notes?.taken === '/flow' ? 'lit' : ''}`}>
        <div className="row">
          <strong className="grow">attempt</strong>
          <LineLink at={`${at}/flow`} steps={step.flow.length} onOpen={onOpen} />
        </div>
        {notes?.failure && (
          <div className="rust">
            failed: {notes.failure.backend} {notes.failure.status}, {notes.failure.reason}
          </div>
        )}
      </div>
      {step.failures.map((f, i) => {
        const pointer = `/failures/${i}/flow`;
        return (
          <div key={i} className={`pin-line ${notes?.taken === pointer ? 'lit' : ''}`}>
            <div className="row">
              <ListRow
                hideLabel
                mono
                needed
                label={`Failures of line ${i + 1}`}
                values={f.on}
                placeholder="any, timeout, 503, 5XX, name of a fault"
                readOnly={readOnly}
                accept={(on) => /^([45]\d\d|[45]XX|[A-Za-z_][A-Za-z0-9_.-]*)$/.test(on)}
                onChange={(on) => set(step.failures.map((x, n) => (n === i ? { ...x, on: on! } : x)))}
              />
              <LineLink at={at + pointer} steps={f.flow.length} onOpen={onOpen} />
              <RowMoves
                index={i}
                count={step.failures.length}
                what={`failure ${i + 1}`}
                readOnly={readOnly}
                onMove={(to) => set(moved(step.failures, i, to))}
                onRemove={() => set(step.failures.filter((_x, n) => n !== i))}
              />
            </div>
            {f.when !== undefined && (
              <ConditionEditor
                label={`Condition of failure ${i + 1}`}
                value={f.when}
                rows={rows}
                readOnly={readOnly}
                onChange={(when) => set(step.failures.map((x, n) => (n === i ? { ...x, when } : x)))}
              />
            )}
            {!readOnly && f.when === undefined && (
              <button
                className="plain soft"
                onClick={() =>
                  set(
                    step.failures.map((x, n) =>
                      n === i ? { ...x, when: { of: 'vars.failure.status', is: 'atLeast', value: 500 } } : x,
                    ),
                  )
                }
              >
                only when …
              </button>
            )}
            <Unreached at={at + pointer} lines={unreached} onCase={readOnly ? undefined : onCase} />
          </div>
        );
      })}
      {!readOnly && (
        <button className="plain spruce" onClick={() => set([...step.failures, { on: ['any'], flow: [] }])}>
          Add what to do on a failure
        </button>
      )}
    </div>
  );
}

export function RememberPin({ step, at, seen, rows, readOnly, onChange, onOpen }: PinProps<'remember'>) {
  const notes = seen?.notes as { cacheStatus?: string; hit?: boolean } | undefined;
  const key = step.key;
  return (
    <div className="pin-form">
      {notes?.cacheStatus && (
        <div className="pin-box">
          <span className="soft">Cache-Status: </span>
          <span className="mono spruce">{notes.cacheStatus}</span>
        </div>
      )}
      <ExpressionRow
        label="Seconds: a number, or from the plan, a header …"
        value={String(step.seconds)}
        rows={rows}
        readOnly={readOnly}
        onChange={(t) => {
          const n = Number(t);
          if (t.trim()) onChange({ ...step, seconds: Number.isFinite(n) && n >= 0 ? n : t });
        }}
      />
      <div className="row">
        <span className="grow soft">steps whose result is remembered</span>
        <LineLink at={`${at}/flow`} steps={step.flow.length} onOpen={onOpen} />
      </div>
      <div className="soft">Key: what tells two requests apart</div>
      {key ? (
        key.map((k, i) => (
          <div key={i} className="row">
            <div className="grow">
              <ExpressionRow
                hideLabel
                label={`Part ${i + 1} of the key`}
                value={k}
                rows={rows}
                readOnly={readOnly}
                onChange={(t) => t.trim() && onChange({ ...step, key: key.map((x, n) => (n === i ? t : x)) })}
              />
            </div>
            <RowMoves
              index={i}
              count={key.length}
              what={`part ${i + 1} of the key`}
              readOnly={readOnly}
              onRemove={() => onChange({ ...step, key: key.length > 1 ? key.filter((_x, n) => n !== i) : undefined })}
            />
          </div>
        ))
      ) : (
        <div className="pin-box soft">method, path and query parameters</div>
      )}
      {!readOnly && (
        <button className="plain spruce" onClick={() => onChange({ ...step, key: [...(key ?? ['path']), 'query'] })}>
          {key ? 'Add a part' : 'Give a key of its own'}
        </button>
      )}
      <ChoiceRow
        label="Who shares it"
        value={step.shared ? 'all' : 'own'}
        options={[
          ['own', 'each app has its own'],
          ['all', 'all apps share it'],
        ]}
        readOnly={readOnly}
        onChange={(v) => onChange({ ...step, shared: v === 'all' ? true : undefined })}
      />
      <RememberAge step={step} readOnly={readOnly} onChange={onChange} />
      {step.notIf !== undefined ? (
        <>
          <div className="row soft">
            <span className="grow">Not kept when</span>
            <RowMoves
              index={0}
              count={1}
              what="this rule"
              readOnly={readOnly}
              onRemove={() => onChange({ ...step, notIf: undefined })}
            />
          </div>
          <ConditionEditor
            label="Not kept when"
            value={step.notIf}
            rows={rows}
            readOnly={readOnly}
            onChange={(notIf) => onChange({ ...step, notIf })}
          />
        </>
      ) : (
        !readOnly && (
          <button
            className="plain spruce"
            onClick={() => onChange({ ...step, notIf: { of: 'status', is: 'atLeast', value: 300 } })}
          >
            Say what must not be kept
          </button>
        )
      )}
    </div>
  );
}
