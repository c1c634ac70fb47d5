'use client';
import TextField from '@mui/material/TextField';
import type { StepDocument, TypeRow } from '@hinge/core';
import { ExpressionEditor } from './expression-editor';

type SetStep = Extract<StepDocument, { kind: 'set' }>;
type ReplyStep = Extract<StepDocument, { kind: 'reply' }>;

/** Settings of `set` and `reply`. */
export function PlainPin({
  step,
  index,
  rows,
  readOnly,
  onChange,
}: {
  step: SetStep | ReplyStep;
  index: number;
  rows: readonly TypeRow[];
  readOnly?: boolean;
  onChange: (s: StepDocument) => void;
}) {
  return (
    <>
      <div className="pin-head">
        <h2>
          {step.kind}, pin {index + 1}
        </h2>
      </div>
      <div className="pin-form">
        {step.kind === 'set'
          ? Object.entries(step.values).map(([name, source]) => (
              <div key={name}>
                <div className="soft mono">vars.{name}</div>
                <div className="pin-card">
                  <ExpressionEditor
                    label={`Expression for ${name}`}
                    value={source}
                    rows={rows}
                    readOnly={readOnly}
                    onChange={(t) => t.trim() && onChange({ ...step, values: { ...step.values, [name]: t } })}
                  />
                </div>
              </div>
            ))
          : null}
        {step.kind === 'reply' && (
          <>
            <label className="soft" htmlFor="reply-status">
              Status
            </label>
            <TextField
              id="reply-status"
              disabled={readOnly}
              value={step.status}
              onChange={(e) => {
                const n = Number(e.target.value);
                if (n >= 200 && n <= 599) onChange({ ...step, status: n });
              }}
              slotProps={{ htmlInput: { className: 'mono' } }}
            />
            <div className="soft">Body</div>
            <div className="pin-card">
              <ExpressionEditor
                label="Expression for the body"
                value={step.from ?? (step.body === undefined ? '' : JSON.stringify(step.body, null, 2))}
                rows={rows}
                readOnly={readOnly ?? step.from === undefined}
                onChange={(from) => onChange({ ...step, from: from || undefined })}
              />
            </div>
          </>
        )}
      </div>
    </>
  );
}
