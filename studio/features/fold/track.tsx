'use client';
import { layoutTrack, type FlowDocument, type GuardDocument, type ShownStep } from '@hinge/core';
import { memo, useEffect, useMemo, useRef, useState } from 'react';

type Flow = FlowDocument['operations'][string]['flow'];

interface Props {
  readonly flow: Flow;
  readonly steps: readonly ShownStep[];
  readonly guards: readonly { guard: GuardDocument; inherited: boolean }[];
  /** Kind of the guard that refused. */
  readonly refusedBy?: string;
  /** 'request', 'reply', or the pointer of a step. */
  readonly selected: string;
  readonly onSelect: (at: string) => void;
  /** Steps chosen together with the selected one. */
  readonly range: readonly string[];
  readonly onRange: (to: string) => void;
  readonly requestWords: string;
  readonly replyWords: { title: string; facts: string; bad: boolean };
  readonly faultyPins: ReadonlySet<string>;
  /** Steps can be put in where a plus stands. */
  readonly onInsert?: (at: string) => void;
  readonly marked?: ReadonlySet<string>;
}

export const milliseconds = (ms: number): string => (ms < 10 ? `${ms.toFixed(1)} ms` : `${Math.round(ms)} ms`);

/** Which series of steps the message went along, told from what the steps noted. */
function takenSeries(steps: readonly ShownStep[]): (at: string) => boolean {
  const taken = new Set<string>(['']);
  for (const s of steps) {
    if (!s.taken) continue;
    taken.add(s.at.slice(0, s.at.lastIndexOf('/')));
    const line = s.notes?.taken;
    if (typeof line === 'string') taken.add(s.at + line);
  }
  return (at) => taken.has(at);
}

/** Lines of a gather that took the longest: the critical path. */
function criticalSeries(steps: readonly ShownStep[]): ReadonlySet<string> {
  return new Set(steps.flatMap((s) => (typeof s.notes?.critical === 'string' ? [s.at + s.notes.critical] : [])));
}

/** The flow as a line with pins, parting and joining; the ends are the request and the reply. */
export const Track = memo(function Track(p: Props) {
  const {
    flow,
    steps,
    guards: set,
    refusedBy,
    selected,
    onSelect,
    requestWords,
    replyWords,
    faultyPins,
    onInsert,
    marked,
    range,
    onRange,
  } = p;
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1280);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const watch = new ResizeObserver(() => setWidth(el.clientWidth));
    watch.observe(el);
    return () => watch.disconnect();
  }, []);
  const track = useMemo(() => layoutTrack(flow, width), [flow, width]);
  const guards = useMemo(() => {
    const shown = set.map(({ guard, inherited }) => ({ kind: guard.kind as string, inherited }));
    // A guard of the caller's plan stands in no scope of the document; where it refused it is seen.
    return refusedBy === undefined || shown.some((g) => g.kind === refusedBy)
      ? shown
      : [...shown, { kind: refusedBy, inherited: true }];
  }, [set, refusedBy]);
  const by = useMemo(() => new Map(steps.map((s) => [s.at, s])), [steps]);
  const taken = useMemo(() => takenSeries(steps), [steps]);
  const critical = useMemo(() => criticalSeries(steps), [steps]);
  const failedAt = track.pins.find((q) => by.get(q.at)?.error && !q.at.includes('/lines'))?.x;
  const ran = steps.some((s) => s.taken);
  useEffect(() => {
    box.current
      ?.querySelector(`[data-at="${CSS.escape(selected)}"]`)
      ?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  }, [selected]);
  return (
    <div className="track" ref={box} role="group" aria-label="Flow">
      <div style={{ position: 'relative', width: track.width, height: track.height }}>
        <svg width={track.width} height={track.height} aria-hidden>
          {track.spans.map((s) => (
            <rect key={s.at} x={s.from} y={s.y - 26} width={s.to - s.from} height="52" rx="10" className="span" />
          ))}
          {track.rails.map((r, i) => (
            <path
              key={i}
              d={r.d}
              className={`rail ${ran && !taken(r.at) ? 'untaken' : ''} ${critical.has(r.at) ? 'critical' : ''}`}
            />
          ))}
          {failedAt !== undefined && (
            <line x1={failedAt} x2={track.line.to} y1={track.line.y} y2={track.line.y} className="rail untaken" />
          )}
          {track.joins.map((j, i) => (
            <circle key={i} cx={j.x} cy={j.y} r="3" className="join" />
          ))}
          {guards.map(({ kind, inherited }, i) => (
            <path
              key={kind}
              d={shield(track.line.from + 14 + i * 18, track.line.y)}
              className={`guard ${inherited ? 'inherited' : ''} ${kind === refusedBy ? 'refused' : ''}`}
            />
          ))}
        </svg>
        {guards.length > 0 && (
          <div className="guard-words" style={{ left: track.line.from - 6, top: track.line.y + 18 }}>
            {guards.map((g, i) => (
              <span key={g.kind} className={g.kind === refusedBy ? 'rust' : undefined}>
                {i > 0 && ', '}
                {g.kind}
              </span>
            ))}
          </div>
        )}
        {track.words.map((w) => (
          <div
            key={w.at}
            className={`line-words cut ${ran && taken(w.at) ? 'lit' : ''} ${marked?.has(w.at) ? 'unreached' : ''}`}
            style={{ left: w.x, top: w.y - 19, maxWidth: w.width }}
            title={marked?.has(w.at) ? `${w.text}: no case reaches this line` : w.text}
          >
            {w.text}
          </div>
        ))}
        {onInsert &&
          track.slots.map((s) => (
            <button
              key={s.at}
              className="slot"
              style={{ left: s.x - 9, top: s.y - 9 }}
              aria-label={`Add a step at ${s.at}`}
              // `a` adds behind a step; a line without steps has none to add behind.
              tabIndex={s.at.endsWith('/0') && !track.pins.some((p) => p.at === s.at) ? 0 : -1}
              onClick={() => onInsert(s.at)}
            >
              +
            </button>
          ))}
        <button
          className={`end left ${selected === 'request' ? 'chosen' : ''}`}
          style={{ top: track.line.y - 20 }}
          aria-current={selected === 'request'}
          onClick={() => onSelect('request')}
        >
          <strong>request</strong>
          <span>{requestWords}</span>
        </button>
        {track.pins.map((pin, i) => {
          const step = by.get(pin.at);
          const state = pin.off
            ? 'off'
            : step?.error
              ? 'failed'
              : step && !step.taken
                ? 'untaken'
                : faultyPins.has(pin.at)
                  ? 'faulty'
                  : '';
          const times = step?.taken ? `${milliseconds(step.ms)}${(step.times ?? 1) > 1 ? ` ×${step.times}` : ''}` : '';
          return (
            <button
              key={pin.at}
              data-at={pin.at}
              className={`pin ${state} ${selected === pin.at ? 'chosen' : range.includes(pin.at) ? 'along' : ''}`}
              style={{ left: pin.x - 52, top: pin.y - (track.compact ? 18 : 42) }}
              aria-current={selected === pin.at}
              title={pin.name === pin.kind ? undefined : pin.name}
              aria-label={`${pin.kind} ${pin.label}, pin ${i + 1} of ${track.pins.length}${step?.taken ? `, ${milliseconds(step.ms)}` : ''}${step?.error ? ', failed' : ''}${pin.off ? ', switched off' : ''}`}
              onClick={(e) => (e.shiftKey ? onRange(pin.at) : onSelect(pin.at))}
            >
              <span className={track.compact ? 'ms none' : 'ms'}>{track.compact ? '' : times}</span>
              <svg width="14" height="36" viewBox="0 0 14 36" aria-hidden>
                <rect x="1" y="1" width="12" height="34" rx="5" className="pin-body" />
                <line x1="1" x2="13" y1="12.5" y2="12.5" className="pin-knuckle" />
                <line x1="1" x2="13" y1="23.5" y2="23.5" className="pin-knuckle" />
              </svg>
              <span className="kind">{pin.name}</span>
              <span className="label">
                {track.compact && times ? (
                  <>
                    <b>{times}</b>{' '}
                  </>
                ) : null}
                {pin.label}
              </span>
            </button>
          );
        })}
        <button
          className={`end right ${selected === 'reply' ? 'chosen' : ''}`}
          style={{ top: track.line.y - 20, left: track.line.to + 8 }}
          aria-current={selected === 'reply'}
          onClick={() => onSelect('reply')}
        >
          <strong className={replyWords.bad ? 'rust' : undefined}>{replyWords.title}</strong>
          <span>{replyWords.facts}</span>
        </button>
      </div>
    </div>
  );
});

function shield(x: number, y: number): string {
  return `M ${x} ${y - 9} l 7 3 v 5 c 0 5 -3.5 8 -7 10 c -3.5 -2 -7 -5 -7 -10 v -5 z`;
}
