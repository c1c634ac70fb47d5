'use client';
import type {
  Finding,
  FlowDocument,
  GuardDocument,
  Rehearsal,
  SampleRequest,
  ShownMessage,
  StepDocument,
  StepTyping,
  TypeRow,
} from '@hinge/core';
import { useCallback, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { CallPin } from './call-pin';
import { Leaf } from './leaf';
import { joinsOf, MapPin } from './map-pin';
import { PlainPin } from './plain-pin';
import { milliseconds, Track } from './track';
import { formatWords, sizeWords, valueOf } from './values';

type Operation = FlowDocument['operations'][string];

export interface FoldViewProps {
  readonly operation: Operation;
  readonly operationId: string;
  readonly guards: readonly { guard: GuardDocument; inherited: boolean }[];
  readonly door: string;
  readonly rehearsal?: Rehearsal;
  readonly typing: readonly StepTyping[];
  readonly findings: readonly Finding[];
  readonly sample?: SampleRequest;
  readonly faultsOf: (backend: string, operation: string | undefined) => readonly string[];
  readonly readOnly?: boolean;
  readonly onStep?: (index: number, step: StepDocument) => void;
  /** Left side while the request is chosen: the editor of the case, or nothing. */
  readonly requestEditor?: ReactNode;
  readonly header: ReactNode;
  readonly notice?: ReactNode;
  readonly footer: (select: (index: number, field?: string) => void) => ReactNode;
  readonly start?: number;
  readonly waiting?: string;
  readonly variables?: Readonly<Record<string, unknown>>;
}

const emptySet: ReadonlySet<string> = new Set();

/** The Fold: track above, the message before and after the chosen pin below, the pin between. Design and trace are this. */
export function FoldView(p: FoldViewProps) {
  const flow = p.operation.flow;
  const n = flow.length;
  const [selected, setSelected] = useState(p.start ?? 0);
  const [field, setField] = useState<string>();
  const [focusEditor, setFocusEditor] = useState(0);
  const frame = useRef<HTMLDivElement>(null);
  const steps = useMemo(() => p.rehearsal?.steps ?? [], [p.rehearsal]);
  const shown = (i: number) => steps.find((s) => s.at === `/${i}`);

  const select = useCallback(
    (index: number, target?: string) => {
      setSelected(Math.max(-1, Math.min(n, index)));
      setField(target);
      setFocusEditor(target ? Date.now() : 0);
    },
    [n],
  );
  useFailedPin(p.rehearsal, flow.length, select);
  useWalk(selected, select, n);

  const step = flow[selected];
  const seen = shown(selected);
  const typing = p.typing[selected];
  const faultyPins = useMemo(
    () =>
      new Set(
        p.findings
          .filter((f) => f.severity === 'error')
          .map((f) => pinOf(f, p.operationId))
          .filter((i) => i !== undefined),
      ),
    [p.findings, p.operationId],
  );
  const sourceExtra = useMemo(
    () => reachRows(typing, p.operation, Object.keys(p.variables ?? {})),
    [typing, p.operation, p.variables],
  );
  const sourceRows = useMemo(() => [...(typing?.before ?? []), ...sourceExtra], [typing, sourceExtra]);
  const after = useMemo(() => valueOf(seen?.after), [seen]);
  const joins = useMemo(() => (step?.kind === 'map' ? joinsOf(step) : []), [step]);
  const lit = useMemo(() => new Set(joins.find((j) => j.to === field)?.from ?? []), [joins, field]);
  const faulty = useMemo(
    () => faultyFields(p.findings, p.operationId, selected, step),
    [p.findings, p.operationId, selected, step],
  );
  const request = p.rehearsal?.request;
  const reply = p.rehearsal?.reply;
  const change = (s: StepDocument) => p.onStep?.(selected, s);
  const leave = useCallback(
    () =>
      frame.current
        ?.querySelector<HTMLElement>(`[data-side="right"][data-pointer="${CSS.escape(field ?? '')}"]`)
        ?.focus(),
    [field],
  );

  return (
    <div className="fold">
      {p.header}
      <Track
        flow={flow}
        steps={steps}
        guards={p.guards}
        selected={selected}
        onSelect={(i) => select(i)}
        requestWords={`door: ${p.door}`}
        replyWords={replyWords(reply)}
        faultyPins={faultyPins}
      />
      {p.notice}
      <div className="leaves" ref={frame}>
        {selected === -1 && (
          <>
            {p.requestEditor ?? <Spine words="nothing before" />}
            <Leaf
              key="request"
              side="right"
              title="The request as the gateway gets it"
              message={request}
              rows={p.typing[0]?.before}
              sample={p.sample}
              preferred={request?.bytes ? 'Text' : 'Tree'}
              waiting={p.waiting}
            />
            <Spine words={nextWords(flow[0])} onClick={() => select(0)} />
          </>
        )}
        {selected === n && (
          <>
            <Spine words="before the last pin" onClick={() => select(n - 1)} />
            <Leaf
              key="reply"
              side="right"
              title="The reply to the caller"
              message={reply}
              rows={p.rehearsal?.error ? undefined : p.typing[n - 1]?.after}
              preferred="Text"
              error={p.rehearsal?.error}
              waiting={p.waiting}
            />
          </>
        )}
        {step && (
          <>
            <Spine
              words={
                selected === 0 ? 'request as it came in' : spineWords(shown(selected - 1)?.before, 'the message before')
              }
              onClick={() => select(selected - 1)}
            />
            <Leaf
              key={`before ${selected} ${step.kind}`}
              side="left"
              title={`Before: ${typing?.beforeWords ?? 'the message'}`}
              message={seen?.taken ? seen.before : undefined}
              rows={typing?.before}
              sample={selected === 0 ? p.sample : undefined}
              preferred={step.kind === 'map' ? 'Tree' : 'Text'}
              lit={lit}
              extra={step.kind === 'map' ? sourceExtra : undefined}
              extraValue={
                step.kind === 'map'
                  ? { path: p.sample?.path ?? {}, query: p.sample?.query ?? {}, env: p.variables ?? {} }
                  : undefined
              }
              waiting={p.waiting}
            />
            <div className="pin-pane" role="region" aria-label={`Settings of ${step.kind}, pin ${selected + 1}`}>
              {step.kind === 'map' && (
                <MapPin
                  step={step}
                  index={selected}
                  frame={frame}
                  sourceRows={sourceRows}
                  targetRows={typing?.after ?? []}
                  after={after}
                  chosen={field}
                  findings={p.findings}
                  readOnly={p.readOnly}
                  focusEditor={focusEditor}
                  onChange={change}
                  onLeave={leave}
                />
              )}
              {step.kind === 'call' && (
                <CallPin
                  step={step}
                  index={selected}
                  seen={seen}
                  faults={p.faultsOf(step.backend, step.operation)}
                  readOnly={p.readOnly}
                  onChange={change}
                />
              )}
              {(step.kind === 'set' || step.kind === 'reply') && (
                <PlainPin step={step} index={selected} rows={sourceRows} readOnly={p.readOnly} onChange={change} />
              )}
            </div>
            <Leaf
              key={`after ${selected} ${step.kind}`}
              side="right"
              title={`After: ${typing?.afterWords ?? 'the message'}`}
              message={seen?.taken ? seen.after : undefined}
              other={seen?.taken ? seen.before : undefined}
              rows={typing?.after}
              preferred={step.kind === 'map' ? 'Tree' : 'Text'}
              made
              error={seen?.error}
              chosen={field}
              faulty={faulty}
              onChoose={
                step.kind === 'map'
                  ? (pointer) => {
                      setField(pointer);
                      setFocusEditor(Date.now());
                    }
                  : undefined
              }
              waiting={p.waiting ?? (seen && !seen.taken ? 'the flow ended before this pin' : undefined)}
            />
            <Spine
              words={selected === n - 1 ? 'reply to the caller' : nextWords(flow[selected + 1])}
              onClick={() => select(selected + 1)}
            />
          </>
        )}
      </div>
      {p.footer(select)}
    </div>
  );
}

/** The pin that failed opens by itself, once for each new failure. */
function useFailedPin(rehearsal: Rehearsal | undefined, n: number, select: (i: number) => void) {
  const told = useRef<string>(undefined);
  useEffect(() => {
    if (!rehearsal) return;
    const failed = rehearsal.steps.findIndex((s) => s.error);
    const key = rehearsal.error ? `${failed} ${rehearsal.error.code}` : undefined;
    if (key !== undefined && key !== told.current) select(failed >= 0 ? failed : n);
    told.current = key;
  }, [rehearsal, n, select]);
}

/** Arrow keys walk along the line, unless something is being typed or a tree is being walked sideways. */
function useWalk(selected: number, select: (i: number) => void, n: number) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey) return;
      const el = e.target as HTMLElement;
      if (
        el.isContentEditable ||
        /^(INPUT|TEXTAREA|SELECT)$/.test(el.tagName) ||
        el.closest('[role=dialog],[role=listbox],[role=menu],[role=combobox]')
      )
        return;
      if (e.key === 'ArrowRight' && selected < n) select(selected + 1);
      else if (e.key === 'ArrowLeft' && selected > -1) select(selected - 1);
      else return;
      e.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [selected, select, n]);
}

/** Which pin of the operation a finding is about. */
export function pinOf(f: Finding, operationId: string): number | undefined {
  const m = /^\/operations\/([^/]+)\/flow\/(\d+)/.exec(f.place.pointer ?? '');
  return m && m[1] === operationId ? Number(m[2]) : undefined;
}

export function fieldOf(f: Finding, flow: readonly StepDocument[], operationId: string): string | undefined {
  const pin = pinOf(f, operationId);
  const step = pin === undefined ? undefined : flow[pin];
  const m = /\/fields\/(\d+)\//.exec(f.place.pointer ?? '');
  return m && step?.kind === 'map' ? step.fields?.[Number(m[1])]?.to : undefined;
}

function faultyFields(
  findings: readonly Finding[],
  operationId: string,
  selected: number,
  step: StepDocument | undefined,
): ReadonlySet<string> {
  if (step?.kind !== 'map') return emptySet;
  const out = new Set<string>();
  for (const f of findings) {
    if (pinOf(f, operationId) !== selected || f.severity === 'info') continue;
    const m = /\/fields\/(\d+)\//.exec(f.place.pointer ?? '');
    const to = m && step.fields?.[Number(m[1])]?.to;
    if (to) out.add(to);
  }
  return out;
}

/** Besides the message itself: the caller's parameters once the message is another one, and the environment's variables. */
function reachRows(typing: StepTyping | undefined, operation: Operation, variables: readonly string[]): TypeRow[] {
  const row = (pointer: string, words: string): TypeRow => ({
    pointer,
    name: pointer.slice(1).replace(/\//g, '.'),
    depth: 0,
    words,
    required: false,
    many: false,
    nullable: false,
    leaf: true,
  });
  const out: TypeRow[] = [];
  if (typing && typing.at !== '/0')
    for (const p of operation.parameters ?? [])
      if (p.in !== 'header') out.push(row(`/${p.in}/${p.name}`, 'of the request'));
  for (const v of variables) out.push(row(`/env/${v}`, 'of the environment'));
  return out;
}

function Spine({ words, onClick }: { words: string; onClick?: () => void }) {
  return onClick ? (
    <button className="spine" onClick={onClick} aria-label={`Go to: ${words}`}>
      <span>{words}</span>
    </button>
  ) : (
    <div className="spine" aria-hidden>
      <span />
    </div>
  );
}

const nextWords = (step: StepDocument | undefined): string =>
  step ? `next: ${step.name ?? step.kind}` : 'reply to the caller';
const spineWords = (m: ShownMessage | undefined, otherwise: string): string =>
  m ? `${otherwise}, ${formatWords(m)}` : otherwise;

function replyWords(reply: Rehearsal['reply'] | undefined): { title: string; facts: string; bad: boolean } {
  if (!reply) return { title: 'reply', facts: 'not rehearsed yet', bad: false };
  return {
    title: `reply ${reply.status}`,
    facts: reply.bytes ? `${formatWords(reply)}, ${sizeWords(reply.bytes)}` : 'no body',
    bad: reply.status >= 400,
  };
}

export { milliseconds };
