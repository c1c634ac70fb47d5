'use client';
import { layoutTrack, type FlowDocument, type GuardDocument, type ShownStep } from '@hinge/core';
import { useEffect, useRef, useState } from 'react';

type Flow = FlowDocument['operations'][string]['flow'];

interface Props {
  readonly flow: Flow;
  readonly steps: readonly ShownStep[];
  readonly guards: readonly { guard: GuardDocument; inherited: boolean }[];
  readonly selected: number;
  readonly onSelect: (index: number) => void;
  readonly requestWords: string;
  readonly replyWords: { title: string; facts: string; bad: boolean };
  readonly faultyPins: ReadonlySet<number>;
}

export const milliseconds = (ms: number): string => (ms < 10 ? `${ms.toFixed(1)} ms` : `${Math.round(ms)} ms`);

/** The flow as one line with pins; the ends are the request and the reply. */
export function Track({ flow, steps, guards, selected, onSelect, requestWords, replyWords, faultyPins }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1280);
  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const watch = new ResizeObserver(() => setWidth(el.clientWidth));
    watch.observe(el);
    return () => watch.disconnect();
  }, []);
  const track = layoutTrack(flow, width);
  const by = new Map(steps.map((s) => [s.at, s]));
  const failedAt = track.pins.find((p) => by.get(p.at)?.error)?.x;
  return (
    <div className="track" ref={box} role="group" aria-label="Flow">
      <div style={{ position: 'relative', width: track.width, height: track.height }}>
        <svg width={track.width} height={track.height} aria-hidden>
          <line
            x1={track.line.from}
            x2={failedAt ?? track.line.to}
            y1={track.line.y}
            y2={track.line.y}
            className="rail"
          />
          {failedAt !== undefined && (
            <line x1={failedAt} x2={track.line.to} y1={track.line.y} y2={track.line.y} className="rail untaken" />
          )}
          {guards.map(({ guard, inherited }, i) => (
            <path
              key={guard.kind}
              d={shield(track.line.from + 14 + i * 18, track.line.y)}
              className={inherited ? 'guard inherited' : 'guard'}
            />
          ))}
        </svg>
        {guards.length > 0 && (
          <div className="guard-words" style={{ left: track.line.from - 6, top: track.line.y + 18 }}>
            {guards.map((g) => g.guard.kind).join(', ')}
          </div>
        )}
        <button
          className={`end left ${selected === -1 ? 'chosen' : ''}`}
          style={{ top: track.line.y - 20 }}
          aria-current={selected === -1}
          onClick={() => onSelect(-1)}
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
                : faultyPins.has(i)
                  ? 'faulty'
                  : '';
          return (
            <button
              key={pin.at}
              className={`pin ${state} ${selected === i ? 'chosen' : ''}`}
              style={{ left: pin.x - 52, top: pin.y - 42 }}
              aria-current={selected === i}
              aria-label={`${pin.kind} ${pin.label}, pin ${i + 1} of ${track.pins.length}${step?.taken ? `, ${milliseconds(step.ms)}` : ''}${step?.error ? ', failed' : ''}`}
              onClick={() => onSelect(i)}
            >
              <span className="ms">{step?.taken ? milliseconds(step.ms) : ' '}</span>
              <svg width="14" height="36" viewBox="0 0 14 36" aria-hidden>
                <rect x="1" y="1" width="12" height="34" rx="5" className="pin-body" />
                <line x1="1" x2="13" y1="12.5" y2="12.5" className="pin-knuckle" />
                <line x1="1" x2="13" y1="23.5" y2="23.5" className="pin-knuckle" />
              </svg>
              <span className="kind">{pin.name}</span>
              <span className="label">{pin.label}</span>
            </button>
          );
        })}
        <button
          className={`end right ${selected === flow.length ? 'chosen' : ''}`}
          style={{ top: track.line.y - 20, left: track.line.to + 8 }}
          aria-current={selected === flow.length}
          onClick={() => onSelect(flow.length)}
        >
          <strong className={replyWords.bad ? 'rust' : undefined}>{replyWords.title}</strong>
          <span>{replyWords.facts}</span>
        </button>
      </div>
    </div>
  );
}

function shield(x: number, y: number): string {
  return `M ${x} ${y - 9} l 7 3 v 5 c 0 5 -3.5 8 -7 10 c -3.5 -2 -7 -5 -7 -10 v -5 z`;
}
