'use client';
import MenuItem from '@mui/material/MenuItem';
import Select from '@mui/material/Select';
import {
  caseForLine,
  curlLine,
  insertSteps,
  replaceStep,
  stepAt,
  effectiveGuards,
  withWorkspace,
  GUARD_ORDER,
  type CaseDocument,
  type Finding,
  type FlowDocument,
  type Rehearsal,
  type StepDocument,
  type StepTyping,
} from '@hinge/core';
import Link from 'next/link';
import { useSnackbar } from 'notistack';
import { useMemo, useState } from 'react';
import { ReleaseButton } from '../releases/release-button';
import { Findings } from './findings';
import { FoldView, milliseconds } from './fold-view';
import { fieldOf, pinOf } from './places';
import { actOn, withBackends } from './acts';
import { CasesPanel } from './cases-panel';
import { FlowSearch } from './flow-search';
import { freshStep, NewStep } from './new-step';
import type { PinAct } from './pin-head';
import { RequestPin } from './request-pin';
import { useCaseRuns } from './use-case-runs';
import { worldWith, type FoldWorld } from './world';
import { useDraft } from './use-draft';
import { useRehearsal } from './use-rehearsal';
import { useShortcuts } from './use-shortcuts';

interface Props {
  readonly slug: string;
  readonly operationId: string;
  readonly draft: { readonly revision: number; readonly document: FlowDocument };
  readonly environments: readonly { name: string; title: string }[];
  readonly findings: readonly Finding[];
  readonly typing: readonly StepTyping[];
  readonly world: FoldWorld;
  readonly gatewayAddress: Readonly<Record<string, string>>;
  /** Variables of each environment, read as env.NAME. */
  readonly variables: Readonly<Record<string, Readonly<Record<string, unknown>>>>;
  readonly editable: boolean;
  /** Name of the case to begin with; the first one otherwise. */
  readonly startCase?: string;
}

const NONE: CaseDocument = { name: 'empty request', operation: '', request: {} };

/** The flow designer of one operation. */
export function Fold(p: Props) {
  const draft = useDraft(p.slug, p.draft, p.editable);
  const { document, state } = draft;
  const operation = document.operations[p.operationId];
  const [environment, setEnvironment] = useState(p.environments[0]?.name ?? '');
  const cases = useMemo(
    () => (document.cases ?? []).filter((c) => c.operation === p.operationId),
    [document.cases, p.operationId],
  );
  const [caseName, setCaseName] = useState(p.startCase ?? cases[0]?.name);
  const sample = cases.find((c) => c.name === caseName) ?? cases[0] ?? NONE;
  const r = useRehearsal(p.slug, document, p.operationId, sample, environment, p);
  const [newAt, setNewAt] = useState<string>();
  const [jump, setJump] = useState<{ at: string; field?: string; n: number }>();
  const [casesOpen, setCasesOpen] = useState(false);
  const [held, setHeld] = useState<{ rehearsal: Rehearsal; words: string }>();
  const runs = useCaseRuns(p.slug, document, environment);
  const world = useMemo(() => worldWith(p.world, document), [p.world, document]);
  const unreached = useMemo(
    () => (runs.results.size ? new Set(runs.unreached(p.operationId).map((l) => l.at)) : undefined),
    [runs, p.operationId],
  );
  const { enqueueSnackbar } = useSnackbar();
  const door = document.doors[0];
  const guards = useMemo(
    () =>
      operation
        ? effectiveGuards(withWorkspace(document, p.world.guards), door, operation, GUARD_ORDER).map((g) => ({
            guard: g.guard,
            inherited: g.origin !== 'operation',
          }))
        : [],
    [document, door, operation, p.world.guards],
  );
  useShortcuts(
    draft.undo,
    draft.redo,
    () => void draft.saveNow(),
    () => void r.again(),
  );

  const own = r.findings.filter(
    (f) =>
      !f.place.pointer?.startsWith('/operations/') ||
      f.place.pointer.startsWith(`/operations/${p.operationId}/`) ||
      f.place.pointer === `/operations/${p.operationId}`,
  );
  const errors = r.findings.filter((f) => f.severity === 'error').length;
  if (!operation) {
    return (
      <div className="fold">
        <div className="empty">
          <strong>There is no operation {p.operationId}</strong>
          <Link href={`/apis/${p.slug}`}>Back to {document.api.name}</Link>
        </div>
      </div>
    );
  }
  const setFlow = (flow: StepDocument[]) =>
    draft.change(
      withBackends({ ...document, operations: { ...document.operations, [p.operationId]: { ...operation, flow } } }),
    );
  const setStep = (at: string, step: StepDocument) => setFlow(replaceStep(operation.flow, at, step));
  const go = (at: string, field?: string) => setJump({ at, field, n: Date.now() });
  const act = (at: string, what: PinAct, count = 1): string | undefined => {
    const done = actOn(document, p.operationId, at, what, count);
    if (done) draft.change(done.document);
    return done?.at;
  };
  const insertAt = (at: string) =>
    setNewAt(at.startsWith('/') ? at : at === 'request' ? '/0' : `/${operation.flow.length}`);
  const setRequest = (request: CaseDocument['request']) => {
    const all = document.cases ?? [];
    const next = cases.length
      ? all.map((c) => (c === sample ? { ...c, request } : c))
      : [...all, { name: 'sample', operation: p.operationId, request }];
    draft.change({ ...document, cases: next });
  };
  const address = p.gatewayAddress[environment];
  const copyCurl = async () => {
    const line = curlLine(document, p.operationId, sample.request, address ?? '');
    await navigator.clipboard.writeText(line).catch(() => undefined);
    enqueueSnackbar('The curl line is in the clipboard.');
  };
  const saveWords = {
    saved: 'saved',
    unsaved: 'not saved yet',
    saving: 'saving …',
    failed: 'not saved',
    conflict: 'not saved',
  }[state.kind];

  const header = (
    <div className="fold-title">
      <Link href={`/apis/${p.slug}`} className="soft cut" style={{ maxWidth: 180 }} title={document.api.name}>
        {document.api.name} /
      </Link>
      <h1 className="cut">{p.operationId}</h1>
      <span className="mono soft cut">
        {operation.method} {door?.path}
        {operation.path}
      </span>
      <span className="soft nowrap" aria-live="polite" data-testid="draft-state">
        <Link
          className="soft"
          title="Compare this flow with other versions"
          href={`/apis/${p.slug}/versions?to=${draft.revision}&operation=${encodeURIComponent(p.operationId)}`}
        >
          draft {draft.revision}
        </Link>
        , {saveWords}
      </span>
      <span className="grow" />
      <Select
        value={environment}
        onChange={(e) => setEnvironment(e.target.value)}
        slotProps={{ input: { 'aria-label': 'Environment' } }}
        renderValue={(v) => (
          <span className="nowrap">
            <span className="soft">in</span> {v}
          </span>
        )}
      >
        {p.environments.map((e) => (
          <MenuItem key={e.name} value={e.name}>
            {e.title}
          </MenuItem>
        ))}
      </Select>
      <Select
        value={sample.name}
        onChange={(e) => setCaseName(e.target.value)}
        slotProps={{ input: { 'aria-label': 'Case' } }}
        sx={{ maxWidth: 220 }}
        renderValue={(v) => (
          <span className="nowrap">
            <span className="soft">case</span> {v}
          </span>
        )}
      >
        {(cases.length ? cases : [NONE]).map((c) => (
          <MenuItem key={c.name} value={c.name}>
            {c.name}
          </MenuItem>
        ))}
      </Select>
      <button className="plain spruce nowrap" onClick={() => setCasesOpen(true)} data-testid="cases">
        {runs.words(p.operationId) ?? `${cases.length} ${cases.length === 1 ? 'case' : 'cases'}`}
      </button>
      <span className={`outcome ${r.running ? 'busy' : ''}`} aria-live="polite" data-testid="outcome">
        {r.rehearsal ? (
          <>
            <strong className={r.rehearsal.reply.status >= 400 ? 'rust' : 'spruce'}>{r.rehearsal.reply.status}</strong>{' '}
            {milliseconds(r.rehearsal.ms)}
            {r.running ? ', rehearsing …' : r.stale ? ', older' : ', this draft'}
          </>
        ) : r.running ? (
          'rehearsing …'
        ) : (
          'not rehearsed'
        )}
      </span>
      <ReleaseButton
        slug={p.slug}
        revision={draft.revision}
        environments={p.environments}
        blocked={errors}
        before={draft.saveNow}
        curl={(a) => curlLine(document, p.operationId, sample.request, a)}
      />
    </div>
  );

  const notice = (state.kind === 'conflict' || state.kind === 'failed' || r.stale) && (
    <div
      className={state.kind === 'conflict' || state.kind === 'failed' ? 'fold-notice bad' : 'fold-notice'}
      role="status"
    >
      {state.kind === 'conflict' ? (
        <>
          {state.message}{' '}
          <button className="plain spruce" onClick={() => void draft.takeTheirs()}>
            Take theirs
          </button>{' '}
          <button className="plain rust" onClick={draft.keepMine}>
            Lay mine over it, as draft {state.theirs + 1}
          </button>
        </>
      ) : state.kind === 'failed' ? (
        <>
          {state.message}{' '}
          <button className="plain spruce" onClick={() => void draft.saveNow()}>
            Save again
          </button>
        </>
      ) : (
        r.stale
      )}
    </div>
  );

  return (
    <>
      <FoldView
        operation={operation}
        operationId={p.operationId}
        guards={guards}
        door={door?.name ?? 'none'}
        rehearsal={r.rehearsal}
        typing={r.typing}
        findings={r.findings}
        sample={sample.request}
        world={world}
        readOnly={!p.editable}
        variables={p.variables[environment]}
        onStep={setStep}
        onAct={act}
        onInsert={(at) => (at === 'request' || at === 'reply' ? insertAt(at) : setNewAt(at))}
        onMapBefore={(at) => {
          const step = stepAt(operation.flow, at);
          if (step?.kind !== 'call' || step.operation === undefined) return;
          const to = { ...(step.backend !== undefined && { backend: step.backend }), operation: step.operation };
          setFlow(insertSteps(operation.flow, at, [{ kind: 'map', to, fields: [] }]));
          go(at);
        }}
        unreached={unreached}
        held={held}
        onCase={(line) => {
          const { made } = caseForLine(document, p.operationId, line, sample);
          draft.change({ ...document, cases: [...(document.cases ?? []), made] });
          setCaseName(made.name);
        }}
        jump={jump}
        requestEditor={
          <RequestPin
            key={sample.name}
            operation={operation}
            sample={sample}
            types={document.types ?? {}}
            readOnly={!p.editable}
            onChange={setRequest}
          />
        }
        header={header}
        notice={notice || undefined}
        waiting={r.running ? 'rehearsing …' : r.rehearsal ? undefined : (r.stale ?? 'not rehearsed yet')}
        footer={(select, selected) => (
          <footer className="fold-foot">
            <Findings
              findings={own}
              document={document}
              onFix={p.editable ? draft.change : undefined}
              onOpen={(f) => {
                const at = pinOf(f, p.operationId);
                if (at !== undefined) select(at, fieldOf(f, operation.flow, p.operationId));
              }}
            />
            <span>
              pins <kbd>←</kbd> <kbd>→</kbd>
            </span>
            {p.editable && (
              <button className="plain" onClick={() => insertAt(selected)}>
                add a step <kbd>a</kbd>
              </button>
            )}
            <button
              className="plain"
              title="Keeps this rehearsal: every leaf can then be compared with it, after a change or with another case"
              onClick={() =>
                setHeld(
                  held || !r.rehearsal
                    ? undefined
                    : { rehearsal: r.rehearsal, words: `${sample.name}, draft ${draft.revision}` },
                )
              }
            >
              {held ? 'let go of the held one' : 'hold to compare'}
            </button>
            <FlowSearch flow={operation.flow} onOpen={select} />
            <span>
              rehearse again <kbd>Ctrl Enter</kbd>
            </span>
            <span>
              undo <kbd>Ctrl Z</kbd>
            </span>
            <span className="grow" />
            <button className="plain" onClick={() => void copyCurl()}>
              copy as curl
            </button>
          </footer>
        )}
      />
      <NewStep
        at={newAt}
        onClose={() => setNewAt(undefined)}
        onChoose={(kind) => {
          const at = newAt!;
          setFlow(insertSteps(operation.flow, at, [freshStep(kind, world)]));
          setNewAt(undefined);
          go(at);
        }}
      />
      <CasesPanel
        open={casesOpen}
        onClose={() => setCasesOpen(false)}
        document={document}
        operationId={p.operationId}
        chosen={sample}
        rehearsal={r.rehearsal}
        runs={runs}
        readOnly={!p.editable}
        onChoose={setCaseName}
        onChange={(next) => draft.change({ ...document, cases: next })}
      />
    </>
  );
}
