'use client';
import { DndContext, PointerSensor, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import {
  joinExpression,
  pathExpression,
  stepAt,
  walkFlow,
  type Finding,
  type FlowDocument,
  type GuardDocument,
  type Rehearsal,
  type SampleRequest,
  type ShownMessage,
  type StepDocument,
  type StepTyping,
} from '@hinge/core';
import { useCallback, useMemo, useRef, useState, type ReactNode } from 'react';
import { useFailedPin, useJump, usePinKeys, useWalk } from './fold-keys';
import { Leaf } from './leaf';
import { joinsOf } from './joins';
import { NowValues } from './now';
import { PinHead, type PinAct } from './pin-head';
import { countTo, faultyFields, leavesOf, pinOf, rangeOf, reachRows } from './places';
import { StepPin } from './step-pin';
import { milliseconds, Track } from './track';
import { formatWords, sizeWords, valueOf } from './values';
import type { FoldWorld } from './world';

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
  readonly world: FoldWorld;
  readonly readOnly?: boolean;
  readonly onStep?: (at: string, step: StepDocument) => void;
  /** Does something with a whole step; returns where to look then. */
  readonly onAct?: (at: string, act: PinAct, count?: number) => string | undefined;
  readonly onInsert?: (at: string) => void;
  readonly onMapBefore?: (at: string) => void;
  readonly unreached?: ReadonlySet<string>;
  readonly onCase?: (line: string) => void;
  /** Another rehearsal that was kept: every leaf can be compared with it. */
  readonly held?: { readonly rehearsal: Rehearsal; readonly words: string };
  /** Chosen from outside: a step that was just added, a finding. */
  readonly jump?: { readonly at: string; readonly field?: string; readonly n: number };
  /** Left side while the request is chosen: the editor of the case, or nothing. */
  readonly requestEditor?: ReactNode;
  readonly header: ReactNode;
  readonly notice?: ReactNode;
  readonly footer: (select: (at: string, field?: string) => void, selected: string) => ReactNode;
  readonly start?: string;
  readonly waiting?: string;
  readonly variables?: Readonly<Record<string, unknown>>;
}

/** The Fold: track above, the message before and after the chosen pin below, the pin between. Design and trace are this. */
export function FoldView(p: FoldViewProps) {
  const flow = p.operation.flow;
  const order = useMemo(() => {
    const out: string[] = [];
    walkFlow(flow, (_s, at) => out.push(at));
    return out;
  }, [flow]);
  const [wanted, setSelected] = useState(p.start ?? order[0] ?? 'request');
  // A step that is gone leaves the eye at the end of the line.
  const selected = wanted === 'request' || wanted === 'reply' || order.includes(wanted) ? wanted : 'reply';
  const [field, setField] = useState<string>();
  const [focusEditor, setFocusEditor] = useState(0);
  const frame = useRef<HTMLDivElement>(null);
  // After a change of the line, and before it has run again, another step stands where one was seen.
  const steps = useMemo(
    () => (p.rehearsal?.steps ?? []).filter((s) => s.kind === (stepAt(flow, s.at)?.kind ?? s.kind)),
    [p.rehearsal, flow],
  );
  const shown = (at: string | undefined) => steps.find((s) => s.at === at);

  const [wantedCount, setCount] = useState(1);
  const range = useMemo(() => rangeOf(flow, selected, wantedCount), [flow, selected, wantedCount]);
  const select = useCallback((at: string, target?: string) => {
    setSelected(at);
    setCount(1);
    setField(target);
    setFocusEditor(target ? Date.now() : 0);
  }, []);
  useJump(p.jump, select);
  useFailedPin(p.rehearsal, select);
  useWalk(selected, select, order);
  usePinKeys(
    selected,
    p.readOnly ? undefined : p.onAct,
    p.readOnly ? undefined : p.onInsert,
    select,
    range.length,
    setCount,
  );
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));

  const place = order.indexOf(selected);
  const heldStep = p.held?.rehearsal.steps.find((s) => s.at === selected);
  const leaves = useMemo(
    () => [...leavesOf(p.held?.rehearsal, flow, 'held: '), ...leavesOf(p.rehearsal, flow, '')],
    [p.held, p.rehearsal, flow],
  );
  const against = (message: ShownMessage | undefined) => ({
    ...(p.held && message && { message, words: p.held.words }),
    leaves,
  });
  const step = stepAt(flow, selected);
  const seen = shown(selected);
  const typing = p.typing.find((t) => t.at === selected);
  const previous = selected === 'reply' ? order[order.length - 1] : (order[place - 1] ?? 'request');
  const next = selected === 'request' ? order[0] : order[place + 1];
  const faultyPins = useMemo(
    () =>
      new Set(
        p.findings
          .filter((f) => f.severity === 'error')
          .map((f) => pinOf(f, p.operationId))
          .filter((at) => at !== undefined),
      ),
    [p.findings, p.operationId],
  );
  const own = useMemo(
    () => p.findings.filter((f) => pinOf(f, p.operationId) === selected),
    [p.findings, p.operationId, selected],
  );
  const sourceExtra = useMemo(
    () => reachRows(typing, p.operation, Object.keys(p.variables ?? {})),
    [typing, p.operation, p.variables],
  );
  const sourceRows = useMemo(() => [...(typing?.before ?? []), ...sourceExtra], [typing, sourceExtra]);
  const isMap = step?.kind === 'map';
  const after = useMemo(() => (isMap ? valueOf(seen?.after) : undefined), [isMap, seen]);
  const joins = useMemo(() => (step?.kind === 'map' ? joinsOf(step) : []), [step]);
  const anchors = useMemo(() => new Set(joins.flatMap((j) => [j.to, ...j.from])), [joins]);
  const lit = useMemo(() => new Set(joins.find((j) => j.to === field)?.from ?? []), [joins, field]);
  const faulty = useMemo(() => faultyFields(own, step), [own, step]);
  const request = p.rehearsal?.request;
  const reply = p.rehearsal?.reply;
  const change = (s: StepDocument) => p.onStep?.(selected, s);
  const choose = (pointer: string) => {
    setField(pointer || undefined);
    setFocusEditor(pointer ? Date.now() : 0);
  };
  const leave = useCallback(
    () =>
      frame.current
        ?.querySelector<HTMLElement>(`[data-side="right"][data-pointer="${CSS.escape(field ?? '')}"]`)
        ?.focus(),
    [field],
  );
  const editable = !p.readOnly && p.onStep !== undefined;
  const join = (from: string, to: string) => {
    if (step?.kind !== 'map' || !editable) return;
    const target = typing?.after.find((r) => r.pointer === to);
    const source = sourceRows.find((r) => r.pointer === from);
    const text =
      source && target ? joinExpression(source, target, sourceRows, typing?.after ?? []) : pathExpression(from);
    const fields = step.fields ?? [];
    const had = fields.some((f) => f.to === to);
    change({
      ...step,
      fields: had ? fields.map((f) => (f.to === to ? { ...f, from: text } : f)) : [...fields, { to, from: text }],
    });
    setField(to);
  };
  const dropped = (e: DragEndEvent) => {
    const from = e.active.data.current?.pointer as string | undefined;
    const to = e.over?.data.current?.pointer as string | undefined;
    if (from !== undefined && to !== undefined) join(from, to);
  };

  return (
    <div className="fold">
      {p.header}
      <Track
        flow={flow}
        steps={steps}
        guards={p.guards}
        refusedBy={p.rehearsal?.error?.guard?.kind}
        selected={selected}
        range={range}
        onSelect={select}
        onRange={(at) => setCount(countTo(selected, at))}
        onInsert={editable ? p.onInsert : undefined}
        requestWords={`door: ${p.door}`}
        replyWords={replyWords(reply)}
        faultyPins={faultyPins}
        marked={p.unreached}
      />
      {p.notice}
      <div className="leaves" ref={frame}>
        {selected === 'request' && (
          <>
            {p.requestEditor ?? <Spine words="nothing before" />}
            <Leaf
              key="request"
              side="right"
              title="The request as the gateway gets it"
              message={request}
              against={against(p.held?.rehearsal.request)}
              rows={p.typing[0]?.before}
              sample={p.sample}
              preferred={request?.bytes ? 'Text' : 'Tree'}
              waiting={p.waiting}
            />
            <Spine
              words={nextWords(next === undefined ? undefined : stepAt(flow, next))}
              onClick={() => select(next ?? 'reply')}
            />
          </>
        )}
        {selected === 'reply' && (
          <>
            <Spine
              words={order.length ? 'before the last pin' : 'request as it came in'}
              onClick={() => select(previous ?? 'request')}
            />
            <Leaf
              key="reply"
              side="right"
              title="The reply to the caller"
              message={reply}
              rows={p.rehearsal?.error ? undefined : p.typing.find((t) => t.at === `/${flow.length - 1}`)?.after}
              preferred="Text"
              against={against(p.held?.rehearsal.reply)}
              error={p.rehearsal?.error}
              waiting={p.waiting}
            />
          </>
        )}
        {step && (
          <DndContext sensors={sensors} onDragEnd={dropped}>
            <Spine
              words={place === 0 ? 'request as it came in' : spineWords(shown(previous)?.before, 'the message before')}
              onClick={() => select(previous ?? 'request')}
            />
            <Leaf
              key={`before ${selected} ${step.kind}`}
              side="left"
              title={`Before: ${typing?.beforeWords ?? 'the message'}`}
              message={seen?.taken ? seen.before : undefined}
              rows={typing?.before}
              sample={place === 0 ? p.sample : undefined}
              preferred={step.kind === 'map' ? 'Tree' : 'Text'}
              against={against(heldStep?.taken ? heldStep.before : undefined)}
              lit={lit}
              anchors={anchors}
              extra={step.kind === 'map' ? sourceExtra : undefined}
              extraValue={
                step.kind === 'map'
                  ? {
                      path: p.sample?.path ?? {},
                      query: p.sample?.query ?? {},
                      cookies: p.sample?.cookies ?? {},
                      env: p.variables ?? {},
                    }
                  : undefined
              }
              onChoose={
                step.kind === 'map' && editable && field !== undefined ? (from) => join(from, field) : undefined
              }
              joinable={step.kind === 'map' && editable}
              waiting={p.waiting}
            />
            <div className="pin-pane" role="region" aria-label={`Settings of ${step.kind}, pin ${place + 1}`}>
              <NowValues message={seen?.taken ? seen.before : undefined} sample={p.sample} env={p.variables}>
                <PinHead
                  step={step}
                  place={range.length > 1 ? `pin ${place + 1} and ${range.length - 1} more` : `pin ${place + 1}`}
                  readOnly={!editable}
                  onName={(name) => change({ ...step, name })}
                  onAct={
                    p.onAct &&
                    ((act) => {
                      const at = p.onAct!(selected, act, range.length);
                      if (at !== undefined) select(at);
                    })
                  }
                />
                {step.note !== undefined &&
                  (editable ? (
                    <textarea
                      className="pin-note"
                      aria-label="Comment"
                      rows={2}
                      defaultValue={step.note}
                      onBlur={(e) => change({ ...step, note: e.target.value })}
                    />
                  ) : (
                    <div className="pin-note soft">{step.note}</div>
                  ))}
                <StepPin
                  key={`${selected} ${step.kind}`}
                  step={step}
                  at={selected}
                  operation={p.operation}
                  operationId={p.operationId}
                  world={p.world}
                  frame={frame}
                  seen={seen}
                  sourceRows={sourceRows}
                  targetRows={typing?.after ?? []}
                  after={after}
                  chosen={field}
                  findings={own}
                  allFindings={p.findings}
                  readOnly={!editable}
                  focusEditor={focusEditor}
                  unreached={p.unreached}
                  onCase={p.onCase}
                  onChange={change}
                  onLeave={leave}
                  onChoose={choose}
                  onOpen={select}
                  onMapBefore={p.onMapBefore && (() => p.onMapBefore!(selected))}
                />
              </NowValues>
            </div>
            <Leaf
              key={`after ${selected} ${step.kind}`}
              side="right"
              title={`After: ${typing?.afterWords ?? 'the message'}`}
              message={seen?.taken ? seen.after : undefined}
              other={seen?.taken ? seen.before : undefined}
              rows={typing?.after}
              preferred={step.kind === 'map' ? 'Tree' : 'Text'}
              against={against(heldStep?.taken ? heldStep.after : undefined)}
              made
              error={seen?.error}
              chosen={field}
              faulty={faulty}
              anchors={anchors}
              onChoose={step.kind === 'map' ? choose : undefined}
              joinable={step.kind === 'map' && editable}
              waiting={p.waiting ?? (seen && !seen.taken ? notTaken(step) : undefined)}
            />
            <Spine
              words={next === undefined ? 'reply to the caller' : nextWords(stepAt(flow, next))}
              onClick={() => select(next ?? 'reply')}
            />
          </DndContext>
        )}
      </div>
      {p.footer(select, selected)}
    </div>
  );
}

const notTaken = (step: StepDocument): string =>
  step.off ? 'this step is switched off' : 'the message did not come along here';

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
