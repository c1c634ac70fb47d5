'use client';
import TextField from '@mui/material/TextField';
import type { ShownStep, StepDocument } from '@hinge/core';
import Link from 'next/link';
import { milliseconds } from './track';

export type CallStep = Extract<StepDocument, { kind: 'call' }>;

interface Props {
  readonly step: CallStep;
  readonly index: number;
  readonly seen: ShownStep | undefined;
  readonly faults: readonly string[];
  readonly readOnly?: boolean;
  readonly onChange: (step: CallStep) => void;
}

/** Settings of a call: what is called, how long it may take, what its faults become. */
export function CallPin({ step, index, seen, faults, readOnly, onChange }: Props) {
  const notes = seen?.notes as { url?: string; status?: number } | undefined;
  const setFault = (name: string, status: string) => {
    const n = Number(status);
    const rest = { ...step.faults };
    if (n >= 400 && n <= 599) rest[name] = { ...rest[name], status: n };
    else delete rest[name];
    onChange({ ...step, faults: Object.keys(rest).length ? rest : undefined });
  };
  return (
    <>
      <div className="pin-head">
        <h2>call, pin {index + 1}</h2>
        <span className="grow" />
        {seen?.taken && (
          <span className={seen.error ? 'rust' : 'spruce'}>
            {seen.error ? 'failed' : 'answered'} after {milliseconds(seen.ms)}
          </span>
        )}
      </div>
      <div className="pin-form">
        <div className="soft">Backend and operation</div>
        <div className="pin-box row">
          <Link href={`/backends/${step.backend}`}>{step.backend}</Link>
          <span className="grow" />
          <span>{step.operation ?? 'as it came'}</span>
        </div>
        {notes?.url && (
          <>
            <div className="soft">Address taken</div>
            <div className="pin-box mono cut" title={notes.url}>
              {notes.url}
            </div>
          </>
        )}
        <label className="soft" htmlFor="call-limit">
          Time limit in milliseconds
        </label>
        <TextField
          id="call-limit"
          disabled={readOnly}
          placeholder="10000, or the one of the backend"
          value={step.timeoutMs ?? ''}
          onChange={(e) => {
            const n = Number(e.target.value.replace(/\D/g, ''));
            onChange({ ...step, timeoutMs: n >= 1 && n <= 600_000 ? n : undefined });
          }}
          slotProps={{ htmlInput: { inputMode: 'numeric', className: 'mono' } }}
        />
        {faults.length > 0 && (
          <>
            <div className="soft">When it answers with a fault</div>
            <div className="frame">
              <table>
                <thead>
                  <tr>
                    <th>fault</th>
                    <th>callers get</th>
                  </tr>
                </thead>
                <tbody>
                  {faults.map((f) => (
                    <tr key={f}>
                      <td className="mono">{f}</td>
                      <td>
                        <TextField
                          disabled={readOnly}
                          placeholder="400 or 502"
                          value={step.faults?.[f]?.status ?? ''}
                          onChange={(e) => setFault(f, e.target.value)}
                          slotProps={{
                            htmlInput: { 'aria-label': `Status for ${f}`, className: 'mono', maxLength: 3 },
                          }}
                          sx={{ width: 100 }}
                        />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </>
        )}
      </div>
    </>
  );
}
