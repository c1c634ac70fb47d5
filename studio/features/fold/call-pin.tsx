'use client';
import TextField from '@mui/material/TextField';
import type { Finding, ShownStep, StepDocument, TypeRow } from '@hinge/core';
import Link from 'next/link';
import { ChoiceRow, NumberRow, TextRow } from './fields';
import { Routes } from './routes';
import { milliseconds } from './track';
import type { FoldWorld } from './world';
import { ListRow } from './list-row';

export type CallStep = Extract<StepDocument, { kind: 'call' }>;

interface Props {
  readonly step: CallStep;
  readonly seen: ShownStep | undefined;
  readonly rows: readonly TypeRow[];
  readonly world: FoldWorld;
  readonly findings: readonly Finding[];
  readonly readOnly?: boolean;
  readonly onChange: (step: StepDocument) => void;
  /** Puts a map that makes the request in front of the call. */
  readonly onMapBefore?: (step: CallStep) => void;
}

const INSIDE = ' inside';

/** Settings of a call: what is called, where, how long it may take, what is done when it fails. */
export function CallPin({ step, seen, rows, world, findings, readOnly, onChange, onMapBefore }: Props) {
  const notes = seen?.notes as
    { url?: string; status?: number; tries?: number; failed?: string[]; breaker?: string } | undefined;
  const operations = step.backend === undefined ? undefined : world.backends[step.backend];
  const chosen = operations?.find((o) => o.id === step.operation);
  const setFault = (name: string, status: string) => {
    const n = Number(status);
    const rest = { ...step.faults };
    if (n >= 400 && n <= 599) rest[name] = { ...rest[name], status: n };
    else delete rest[name];
    onChange({ ...step, faults: Object.keys(rest).length ? rest : undefined });
  };
  const needsMap = findings.some((f) => f.code === 'HNG-327');
  return (
    <div className="pin-form">
      {seen?.taken && (
        <div className={seen.error ? 'rust' : 'spruce'}>
          {seen.error ? 'failed' : 'answered'} after {milliseconds(seen.ms)}
          {notes?.tries ? `, at try ${notes.tries} (before: ${notes.failed?.join(', ')})` : ''}
          {notes?.breaker && notes.breaker !== 'closed' ? `, breaker ${notes.breaker}` : ''}
        </div>
      )}
      <ChoiceRow
        label="Backend"
        value={step.backend ?? INSIDE}
        options={[...Object.keys(world.backends).map((b): [string, string] => [b, b]), [INSIDE, 'inside this gateway']]}
        readOnly={readOnly}
        onChange={(b) => {
          const { backend: _b, api: _a, operation: _o, faults: _f, ...rest } = step;
          onChange(b === INSIDE ? { ...rest, operation: world.inner[0] } : { ...rest, backend: b });
        }}
      />
      {step.backend === undefined ? (
        <>
          <ChoiceRow
            label="API"
            value={step.api ?? ''}
            options={[['', 'this one'], ...Object.keys(world.apis).map((a): [string, string] => [a, a])]}
            readOnly={readOnly}
            onChange={(api) =>
              onChange({ ...step, api: api || undefined, operation: (api ? world.apis[api] : world.inner)?.[0] })
            }
          />
          <ChoiceRow
            label="Operation"
            value={step.operation ?? ''}
            options={((step.api ? world.apis[step.api] : world.inner) ?? []).map((o): [string, string] => [o, o])}
            readOnly={readOnly}
            onChange={(operation) => onChange({ ...step, operation })}
          />
        </>
      ) : (
        <>
          <ChoiceRow
            label="Operation"
            value={step.operation ?? ''}
            options={[
              ['', 'as it came: method, path, query, headers and body'],
              ...(operations ?? []).filter((o) => !o.unusable).map((o): [string, string] => [o.id, o.id]),
            ]}
            readOnly={readOnly}
            onChange={(operation) => onChange({ ...step, operation: operation || undefined, faults: undefined })}
          />
          <div className="row">
            {chosen?.words && <span className="soft grow">{chosen.words}</span>}
            <span className="grow" />
            <Link href={`/backends/${step.backend}`}>Open the backend</Link>
          </div>
          {step.operation === undefined && (
            <TextRow
              label="Path at the backend, {{ }} may stand in it"
              mono
              value={step.path}
              placeholder="{{ rest }} and the query, as they came"
              readOnly={readOnly}
              onChange={(path) => onChange({ ...step, path })}
            />
          )}
        </>
      )}
      {!readOnly && onMapBefore && needsMap && (
        <button className="plain spruce" onClick={() => onMapBefore(step)}>
          Put a map in front that makes its request
        </button>
      )}
      {notes?.url && (
        <>
          <div className="soft">Address taken</div>
          <div className="pin-box mono cut" title={notes.url}>
            {notes.url}
          </div>
        </>
      )}
      {step.backend !== undefined && (
        <>
          <Routes step={step} notes={seen?.notes} rows={rows} readOnly={readOnly} onChange={onChange} />
          <NumberRow
            label="Time limit in milliseconds"
            value={step.timeoutMs}
            least={1}
            most={600_000}
            placeholder="10000, or the one of the backend"
            readOnly={readOnly}
            onChange={(timeoutMs) => onChange({ ...step, timeoutMs })}
          />
          <Retry step={step} safe={chosen?.safe ?? true} readOnly={readOnly} onChange={onChange} />
          <BreakerRow step={step} readOnly={readOnly} onChange={onChange} />
        </>
      )}
      {(chosen?.faults.length ?? 0) > 0 && (
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
                {chosen!.faults.map((f) => (
                  <tr key={f}>
                    <td className="mono">{f}</td>
                    <td>
                      <TextField
                        disabled={readOnly}
                        placeholder="400 or 502"
                        value={step.faults?.[f]?.status ?? ''}
                        onChange={(e) => setFault(f, e.target.value)}
                        slotProps={{ htmlInput: { 'aria-label': `Status for ${f}`, className: 'mono', maxLength: 3 } }}
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
  );
}

interface PartProps {
  readonly step: CallStep;
  readonly readOnly?: boolean;
  readonly onChange: (step: StepDocument) => void;
}

function Retry({ step, safe, readOnly, onChange }: PartProps & { safe: boolean }) {
  const { retry } = step;
  const put = (more: Partial<NonNullable<CallStep['retry']>>) => onChange({ ...step, retry: { ...retry!, ...more } });
  return (
    <>
      <div className="soft">Retry</div>
      {retry ? (
        <div className="pin-line">
          <div className="row" style={{ flexWrap: 'wrap' }}>
            <NumberRow
              hideLabel
              label="How often again"
              width={64}
              value={retry.times}
              least={1}
              most={10}
              readOnly={readOnly}
              onChange={(times) => times && put({ times })}
            />
            <span className="soft">times more, first after</span>
            <NumberRow
              hideLabel
              label="Wait in milliseconds"
              width={80}
              value={retry.waitMs}
              least={0}
              most={60_000}
              placeholder="100"
              readOnly={readOnly}
              onChange={(waitMs) => put({ waitMs })}
            />
            <span className="soft">ms, then twice as long</span>
          </div>
          <ListRow
            hideLabel
            mono
            label="Failures that are tried again"
            values={retry.on}
            placeholder="unreachable, timeout, 502, 503, 504"
            readOnly={readOnly}
            accept={(on) => /^(timeout|unreachable|unreadable|[45]\d\d|[45]XX)$/.test(on)}
            onChange={(on) => put({ on })}
          />
          {!safe && (
            <label className="row">
              <input
                type="checkbox"
                checked={retry.unsafe ?? false}
                disabled={readOnly}
                onChange={(e) => put({ unsafe: e.target.checked || undefined })}
              />
              also though the same request twice may do the work twice
            </label>
          )}
          {!readOnly && (
            <button className="plain soft" onClick={() => onChange({ ...step, retry: undefined })}>
              No retry
            </button>
          )}
        </div>
      ) : readOnly ? (
        <div className="pin-box soft">none</div>
      ) : (
        <button className="plain spruce" onClick={() => onChange({ ...step, retry: { times: 2 } })}>
          Try again when it fails
        </button>
      )}
    </>
  );
}

function BreakerRow({ step, readOnly, onChange }: PartProps) {
  const { breaker } = step;
  const put = (more: Partial<NonNullable<CallStep['breaker']>>) =>
    onChange({ ...step, breaker: { ...breaker!, ...more } });
  return (
    <>
      <div className="soft">Circuit breaker</div>
      {breaker ? (
        <div className="pin-line">
          <div className="row" style={{ flexWrap: 'wrap' }}>
            <NumberRow
              hideLabel
              label="Failures"
              width={64}
              value={breaker.failures}
              least={1}
              most={1000}
              readOnly={readOnly}
              onChange={(failures) => failures && put({ failures })}
            />
            <span className="soft">failures within</span>
            <NumberRow
              hideLabel
              label="Window in seconds"
              width={64}
              value={breaker.windowS}
              least={1}
              most={3600}
              placeholder="30"
              readOnly={readOnly}
              onChange={(windowS) => put({ windowS })}
            />
            <span className="soft">s: left alone for</span>
            <NumberRow
              hideLabel
              label="Rest in seconds"
              width={64}
              value={breaker.restS}
              least={1}
              most={3600}
              placeholder="10"
              readOnly={readOnly}
              onChange={(restS) => put({ restS })}
            />
            <span className="soft">s</span>
          </div>
          {!readOnly && (
            <button className="plain soft" onClick={() => onChange({ ...step, breaker: undefined })}>
              No breaker
            </button>
          )}
        </div>
      ) : readOnly ? (
        <div className="pin-box soft">none</div>
      ) : (
        <button className="plain spruce" onClick={() => onChange({ ...step, breaker: { failures: 5 } })}>
          Leave an address alone after failures
        </button>
      )}
    </>
  );
}
