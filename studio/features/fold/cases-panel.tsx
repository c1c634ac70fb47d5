'use client';
import Button from '@mui/material/Button';
import Drawer from '@mui/material/Drawer';
import LinearProgress from '@mui/material/LinearProgress';
import { caseForLine, exampleCases, type CaseDocument, type FlowDocument, type Rehearsal } from '@hinge/core';
import { CaseEditor } from './case-editor';
import { RowMoves } from './fields';
import { milliseconds } from './track';
import type { CaseRuns } from './use-case-runs';

interface Props {
  readonly open: boolean;
  readonly onClose: () => void;
  readonly document: FlowDocument;
  readonly operationId: string;
  readonly chosen: CaseDocument;
  readonly rehearsal: Rehearsal | undefined;
  readonly runs: CaseRuns;
  readonly readOnly?: boolean;
  readonly onChoose: (name: string) => void;
  readonly onChange: (cases: CaseDocument[]) => void;
}

/** The cases of an operation: run together, made from what is on the screen, changed, removed. */
export function CasesPanel(p: Props) {
  const { document, operationId, chosen, runs } = p;
  const all = document.cases ?? [];
  const cases = all.filter((c) => c.operation === operationId);
  const put = (old: CaseDocument, next: CaseDocument | undefined) =>
    p.onChange(all.flatMap((c) => (c !== old ? [c] : next ? [next] : [])));
  const add = (c: CaseDocument) => {
    const taken = new Set(cases.map((x) => x.name));
    let name = c.name;
    for (let n = 2; taken.has(name); n++) name = `${c.name} ${n}`;
    p.onChange([...all, { ...c, name }]);
    p.onChoose(name);
  };
  const examples = p.readOnly ? [] : exampleCases(document, operationId);
  const failed = cases.filter((c) => runs.results.get(`${operationId} ${c.name}`)?.passed === false).length;
  const current = cases.includes(chosen) ? chosen : undefined;
  // Not disabled while it is at work: the focus would leave it.
  const busy = runs.running === undefined ? {} : { 'aria-disabled': true, sx: { opacity: 0.5 } };
  return (
    <Drawer
      anchor="right"
      open={p.open}
      onClose={p.onClose}
      slotProps={{ paper: { sx: { width: 620 }, 'aria-label': 'Cases' } }}
    >
      <div className="cases">
        <div className="row">
          <h2 className="grow">Cases of {operationId}</h2>
          <Button
            variant="outlined"
            disabled={!cases.length}
            {...busy}
            onClick={() => runs.running === undefined && void runs.run(cases)}
          >
            Run {cases.length === 1 ? 'the case' : `all ${cases.length}`}
          </Button>
          <Button
            variant="outlined"
            disabled={!all.length}
            {...busy}
            onClick={() => runs.running === undefined && void runs.run(all)}
          >
            Run the whole API
          </Button>
          <button className="plain soft" onClick={p.onClose} aria-label="Close">
            ×
          </button>
        </div>
        {runs.running && (
          <div className="row" role="status">
            <LinearProgress
              variant="determinate"
              value={(runs.running.done / Math.max(1, runs.running.of)) * 100}
              sx={{ flex: 1 }}
            />
            <span className="soft">
              {runs.running.done} of {runs.running.of}
            </span>
            <button className="plain rust" onClick={runs.cancel}>
              stop
            </button>
          </div>
        )}
        {runs.failure && (
          <div className="told" role="alert">
            {runs.failure}
          </div>
        )}
        {runs.stale && <div className="soft">The flow was changed since; the results are of the draft before.</div>}
        {failed > 0 && <div className="rust">{failed === 1 ? '1 case fails' : `${failed} cases fail`}</div>}
        <div className="frame">
          <table aria-label="Cases">
            <thead>
              <tr>
                <th>Case</th>
                <th>Wanted</th>
                <th>Result</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {cases.map((c, i) => {
                const r = runs.results.get(`${operationId} ${c.name}`);
                return (
                  <tr key={c.name} className={c === current ? 'chosen' : 'link'}>
                    <td>
                      <button className="plain spruce" onClick={() => p.onChoose(c.name)}>
                        {c.name}
                      </button>
                      {c.stubs?.length ? <span className="soft">, {c.stubs.length} stubs</span> : null}
                    </td>
                    <td className="soft">{wantedWords(c)}</td>
                    <td>
                      {r ? (
                        <>
                          <span className={r.passed ? 'spruce' : 'rust'}>
                            {r.passed ? 'passed' : 'failed'} {r.status || ''}
                          </span>{' '}
                          <span className="soft">{milliseconds(r.ms)}</span>
                          {r.failure && <div className="rust">{r.failure}</div>}
                          {r.misfits.slice(0, 5).map((m, n) => (
                            <div key={n} className="mono misfit">
                              {m.at}: wanted {m.wanted}, found {m.found}
                            </div>
                          ))}
                        </>
                      ) : (
                        <span className="soft">not run</span>
                      )}
                    </td>
                    <td>
                      <RowMoves
                        index={i}
                        count={cases.length}
                        what={`case ${c.name}`}
                        readOnly={p.readOnly}
                        onRemove={() => put(c, undefined)}
                      />
                    </td>
                  </tr>
                );
              })}
              {!cases.length && (
                <tr>
                  <td colSpan={4} className="soft">
                    No case yet. A case is a request with what the reply must be; it stays with the API and is run
                    before a release.
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        </div>
        {!p.readOnly && (
          <div className="row">
            <Button
              variant="outlined"
              onClick={() =>
                add({
                  name: 'new case',
                  operation: operationId,
                  request: structuredClone(chosen.request),
                  ...(chosen.stubs && { stubs: chosen.stubs }),
                })
              }
            >
              New case from this request
            </Button>
            {examples.length > 0 && (
              <Button variant="outlined" onClick={() => p.onChange([...all, ...examples])}>
                From the examples, {examples.length}
              </Button>
            )}
          </div>
        )}
        {runs.results.size > 0 &&
          runs.unreached(operationId).map((l) => (
            <div key={l.at} className="brass">
              No case reaches the line {l.name}.{' '}
              {!p.readOnly && (
                <button
                  className="plain spruce"
                  onClick={() => add(caseForLine(document, operationId, l.at, chosen).made)}
                >
                  Make one
                </button>
              )}
            </div>
          ))}
        {current && !p.readOnly && (
          <CaseEditor
            key={current.name}
            sample={current}
            document={document}
            rehearsal={p.rehearsal}
            onChange={(next) => {
              put(current, next);
              if (next.name !== current.name) p.onChoose(next.name);
            }}
          />
        )}
      </div>
    </Drawer>
  );
}

function wantedWords(c: CaseDocument): string {
  const e = c.expect;
  if (!e) return 'no failure';
  const parts = [
    e.status === undefined ? '' : String(e.status),
    'body' in e && e.body !== undefined ? 'this body' : '',
    e.parts?.length ? `${e.parts.length} ${e.parts.length === 1 ? 'part' : 'parts'}` : '',
    e.headers ? 'headers' : '',
    e.steps?.length ? 'steps' : '',
  ];
  return parts.filter(Boolean).join(', ') || 'anything';
}
