'use client';
import type { TypeRow } from '@hinge/core';
import type { CallStep } from './call-pin';
import { ConditionEditor, freshCondition } from './condition-editor';
import { moved, NumberRow, RowMoves, TextRow } from './fields';

type Route = NonNullable<CallStep['routes']>[number];

/** Addresses by conditions: the first row that holds; the last row is the default. The row that a rehearsal took is lit. */
export function Routes({
  step,
  notes,
  rows,
  readOnly,
  onChange,
}: {
  step: CallStep;
  notes: Readonly<Record<string, unknown>> | undefined;
  rows: readonly TypeRow[];
  readOnly?: boolean;
  onChange: (step: CallStep) => void;
}) {
  const routes = step.routes ?? [];
  const put = (next: Route[]) => onChange({ ...step, routes: next.length ? next : undefined });
  const set = (i: number, r: Route) => put(routes.map((x, n) => (n === i ? r : x)));
  const shares = notes?.shares as Record<string, number> | undefined;
  const counted = Object.values(shares ?? {}).reduce((a, b) => a + b, 0);
  return (
    <>
      <div className="soft">Address by conditions</div>
      {routes.map((r, i) => (
        <div key={i} className={`pin-line ${notes?.route === i ? 'lit' : ''}`}>
          <div className="row">
            <TextRow
              hideLabel
              label={`Name of row ${i + 1}`}
              value={r.name}
              placeholder={r.when === undefined ? 'default' : `row ${i + 1}`}
              readOnly={readOnly}
              onChange={(name) => set(i, { ...r, name })}
            />
            {notes?.route === i && <span className="spruce nowrap">taken</span>}
            <RowMoves
              index={i}
              count={routes.length}
              what={`row ${i + 1}`}
              readOnly={readOnly}
              onMove={(to) => put(moved(routes, i, to))}
              onRemove={() => put(routes.filter((_x, n) => n !== i))}
            />
          </div>
          {r.when !== undefined && (
            <ConditionEditor
              label={`Condition of row ${i + 1}`}
              value={r.when}
              rows={rows}
              readOnly={readOnly}
              onChange={(when) => set(i, { ...r, when })}
            />
          )}
          {r.shares ? (
            r.shares.map((s, n) => (
              <div key={n} className="row">
                <TextRow
                  hideLabel
                  mono
                  label={`Address ${n + 1} of row ${i + 1}`}
                  value={s.address}
                  readOnly={readOnly}
                  onChange={(a) =>
                    set(i, { ...r, shares: r.shares!.map((x, m) => (m === n ? { ...x, address: a ?? '' } : x)) })
                  }
                />
                <NumberRow
                  hideLabel
                  width={70}
                  label={`Weight of address ${n + 1}`}
                  value={s.weight}
                  least={0}
                  most={1000}
                  readOnly={readOnly}
                  onChange={(w) =>
                    set(i, { ...r, shares: r.shares!.map((x, m) => (m === n ? { ...x, weight: w ?? 0 } : x)) })
                  }
                />
                {notes?.route === i && counted > 0 && (
                  <span className="soft nowrap">
                    got {shares?.[s.address] ?? 0} of {counted}
                  </span>
                )}
                <RowMoves
                  index={n}
                  count={r.shares!.length}
                  what={`address ${n + 1}`}
                  readOnly={readOnly}
                  onRemove={
                    r.shares!.length > 1
                      ? () => set(i, { ...r, shares: r.shares!.filter((_x, m) => m !== n) })
                      : undefined
                  }
                />
              </div>
            ))
          ) : (
            <TextRow
              hideLabel
              mono
              label={`Address of row ${i + 1}`}
              value={r.address}
              placeholder="the address of the backend"
              readOnly={readOnly}
              onChange={(address) => set(i, { ...r, address })}
            />
          )}
          {!readOnly && (
            <div className="row soft">
              {r.when === undefined && i < routes.length - 1 && (
                <button className="plain soft" onClick={() => set(i, { ...r, when: freshCondition(rows) })}>
                  only when …
                </button>
              )}
              <button
                className="plain soft"
                onClick={() =>
                  set(
                    i,
                    r.shares
                      ? { ...r, shares: [...r.shares, { address: 'http://', weight: 10 }] }
                      : {
                          ...r,
                          address: undefined,
                          shares: [
                            { address: r.address ?? 'http://', weight: 90 },
                            { address: 'http://', weight: 10 },
                          ],
                        },
                  )
                }
              >
                {r.shares ? 'one address more' : 'several addresses by weight'}
              </button>
            </div>
          )}
        </div>
      ))}
      {!readOnly && (
        <button
          className="plain spruce"
          onClick={() => {
            const row: Route = { when: { of: 'headers.`x-region`', is: 'equals', value: 'north' }, address: 'http://' };
            put(routes.length ? [...routes.slice(0, -1), row, routes[routes.length - 1]!] : [row, { name: 'default' }]);
          }}
        >
          Add a row
        </button>
      )}
    </>
  );
}
