'use client';
import MenuItem from '@mui/material/MenuItem';
import Menu from '@mui/material/Menu';
import Select from '@mui/material/Select';
import {
  curlLine,
  effectiveGuards,
  GUARD_ORDER,
  type CaseDocument,
  type Finding,
  type FlowDocument,
  type StepDocument,
  type StepTyping,
} from '@hinge/core';
import Link from 'next/link';
import { useSnackbar } from 'notistack';
import { useEffect, useMemo, useState } from 'react';
import { ReleaseButton } from '../releases/release-button';
import { fieldOf, FoldView, milliseconds, pinOf } from './fold-view';
import { RequestPin } from './request-pin';
import { useDraft } from './use-draft';
import { useRehearsal } from './use-rehearsal';

interface Props {
  readonly slug: string;
  readonly operationId: string;
  readonly draft: { readonly revision: number; readonly document: FlowDocument };
  readonly environments: readonly { name: string; title: string }[];
  readonly findings: readonly Finding[];
  readonly typing: readonly StepTyping[];
  /** Declared faults by "backend operation". */
  readonly faults: Readonly<Record<string, readonly string[]>>;
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
  const r = useRehearsal(p.slug, document, p.operationId, sample.request, environment, p);
  const { enqueueSnackbar } = useSnackbar();
  const door = document.doors[0];
  const guards = useMemo(
    () =>
      operation
        ? effectiveGuards(document, door, operation, GUARD_ORDER).map((g) => ({
            guard: g.guard,
            inherited: g.origin !== 'operation',
          }))
        : [],
    [document, door, operation],
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
  const setStep = (index: number, step: StepDocument) =>
    draft.change({
      ...document,
      operations: {
        ...document.operations,
        [p.operationId]: { ...operation, flow: operation.flow.map((s, i) => (i === index ? step : s)) },
      },
    });
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
      <Link href={`/apis/${p.slug}`} className="soft">
        {document.api.name} /
      </Link>
      <h1 className="cut">{p.operationId}</h1>
      <span className="mono soft cut">
        {operation.method} {door?.path}
        {operation.path}
      </span>
      <span className="soft nowrap" aria-live="polite" data-testid="draft-state">
        draft {draft.revision}, {saveWords}
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
      <span className={`outcome ${r.running ? 'busy' : ''}`} aria-live="polite" data-testid="outcome">
        {r.rehearsal ? (
          <>
            <strong className={r.rehearsal.reply.status >= 400 ? 'rust' : 'spruce'}>{r.rehearsal.reply.status}</strong>{' '}
            {milliseconds(r.rehearsal.ms)}
            {r.stale ? ', older' : ', this draft'}
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
    <FoldView
      operation={operation}
      operationId={p.operationId}
      guards={guards}
      door={door?.name ?? 'none'}
      rehearsal={r.rehearsal}
      typing={r.typing}
      findings={r.findings}
      sample={sample.request}
      faultsOf={(backend, op) => p.faults[`${backend} ${op ?? ''}`] ?? []}
      readOnly={!p.editable}
      variables={p.variables[environment]}
      onStep={setStep}
      requestEditor={
        <RequestPin
          key={sample.name}
          operation={operation}
          sample={sample}
          readOnly={!p.editable}
          onChange={setRequest}
        />
      }
      header={header}
      notice={notice || undefined}
      waiting={r.running ? 'rehearsing …' : r.rehearsal ? undefined : (r.stale ?? 'not rehearsed yet')}
      footer={(select) => (
        <footer className="fold-foot">
          <Findings
            findings={own}
            onOpen={(f) => {
              const i = pinOf(f, p.operationId);
              if (i !== undefined) select(i, fieldOf(f, operation.flow, p.operationId));
            }}
          />
          <span>
            pins <kbd>←</kbd> <kbd>→</kbd>
          </span>
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
  );
}

function useShortcuts(undo: () => void, redo: () => void, save: () => void, again: () => void) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!e.ctrlKey && !e.metaKey) return;
      const typing =
        (e.target as HTMLElement).isContentEditable || /^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName);
      if (e.key === 's') save();
      else if (e.key === 'Enter') again();
      // Inside a text field undo belongs to the text.
      else if (e.key.toLowerCase() === 'z' && !typing) (e.shiftKey ? redo : undo)();
      else if (e.key === 'y' && !typing) redo();
      else return;
      e.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [undo, redo, save, again]);
}

/** Findings of this flow; each leads to its place. */
export function Findings({ findings, onOpen }: { findings: readonly Finding[]; onOpen: (f: Finding) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const first = findings[0];
  if (!first)
    return (
      <span className="spruce" data-testid="findings">
        no findings
      </span>
    );
  const bad = findings.some((f) => f.severity === 'error');
  return (
    <>
      <button
        className={`plain cut ${bad ? 'rust' : 'brass'}`}
        style={{ maxWidth: 620 }}
        data-testid="findings"
        aria-haspopup="menu"
        onClick={(e) => (findings.length === 1 ? onOpen(first) : setAnchor(e.currentTarget))}
      >
        {findings.length === 1 ? '1 finding' : `${findings.length} findings`}: {first.message}
      </button>
      <Menu
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'top', horizontal: 'left' }}
        transformOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        {findings.slice(0, 50).map((f, i) => (
          <MenuItem
            key={i}
            onClick={() => {
              setAnchor(null);
              onOpen(f);
            }}
            sx={{ whiteSpace: 'normal', maxWidth: 560, display: 'block' }}
          >
            <span className={f.severity === 'error' ? 'rust' : 'brass'}>{f.message}.</span>{' '}
            <span className="soft">{f.remedy}</span> <code className="soft">{f.code}</code>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
