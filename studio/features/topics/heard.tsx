'use client';
import { createParser } from 'eventsource-parser';
import { useCallback, useEffect, useRef, useState } from 'react';

interface Heard {
  readonly n: number;
  readonly at: string;
  readonly id?: string;
  readonly type?: string;
  readonly subject?: string;
  readonly text: string;
  /** The data, on one line. */
  readonly brief: string;
  readonly gap?: boolean;
}

const MOST_SHOWN = 300;

type Listening = ReturnType<typeof useListener>;

/** Whether it listens, how much came, and how to hold it still. */
export function HeardBar({ l }: { l: Listening }) {
  return (
    <div className="row soft" aria-live="polite">
      <span className="grow">
        {l.state === 'on'
          ? 'listening'
          : l.state === 'opening'
            ? 'opening the stream …'
            : l.heard.length
              ? 'stopped'
              : 'not listening'}
        , {l.count} {l.count === 1 ? 'event' : 'events'}
      </span>
      {l.state === 'on' && (
        <button className="plain spruce" aria-pressed={l.paused} onClick={l.pause}>
          {l.paused ? `go on (${l.waiting} wait)` : 'hold still'}
        </button>
      )}
      {l.heard.length > 0 && (
        <button className="plain soft" onClick={l.clear}>
          clear
        </button>
      )}
    </div>
  );
}

/** Events, the newest first; each opens. */
export function HeardList({ l, filter = '' }: { l: Listening; filter?: string }) {
  const [open, setOpen] = useState<number>();
  const shown = l.heard.filter((h) => !filter || h.text.toLowerCase().includes(filter.toLowerCase()));
  return (
    <ol className="frame heard" aria-label="Events">
      {shown.map((h) => (
        <li key={h.n}>
          <button
            className="plain heard-row"
            aria-expanded={open === h.n}
            onClick={() => setOpen(open === h.n ? undefined : h.n)}
          >
            <span className="soft mono">{h.at}</span>
            <span className={h.gap ? 'brass' : 'spruce'}>{h.gap ? 'gap' : (h.type ?? 'event')}</span>
            {h.subject !== undefined && <span className="nowrap">{h.subject}</span>}
            <span className="mono cut grow soft">{h.brief}</span>
          </button>
          {open === h.n && <pre className="mono">{pretty(h.text)}</pre>}
        </li>
      ))}
      {!shown.length && (
        <li className="soft empty-line">
          {l.heard.length ? 'No event has this text.' : 'Events stand here, the newest first.'}
        </li>
      )}
    </ol>
  );
}

/** A stream of events, held in order; the newest come first. */
export function useListener(url: string, key: string, body?: string) {
  const [state, setState] = useState<'off' | 'opening' | 'on'>('off');
  const [heard, setHeard] = useState<readonly Heard[]>([]);
  const [told, setTold] = useState<string>();
  const [paused, setPaused] = useState(false);
  const [waiting, setWaiting] = useState(0);
  const [count, setCount] = useState(0);
  const abort = useRef<AbortController>(undefined);
  const held = useRef<Heard[]>([]);
  const still = useRef(false);
  const n = useRef(0);
  const stop = useCallback(() => {
    abort.current?.abort();
    setState('off');
  }, []);
  // Another topic, query or environment is another stream.
  useEffect(() => stop, [url, body, stop]);
  const take = (h: Heard) => {
    setCount((c) => c + 1);
    if (still.current) {
      held.current = [h, ...held.current].slice(0, MOST_SHOWN);
      setWaiting(held.current.length);
    } else setHeard((all) => [h, ...all].slice(0, MOST_SHOWN));
  };
  const start = async () => {
    const mine = (abort.current = new AbortController());
    setTold(undefined);
    setState('opening');
    try {
      const headers = {
        ...(key && { 'x-caller-key': key }),
        ...(body !== undefined && { 'content-type': 'application/json' }),
      };
      const reply = await fetch(url, {
        signal: mine.signal,
        headers,
        ...(body !== undefined && { method: 'POST', body }),
      });
      if (!reply.ok || !reply.body) {
        const why = (await reply.json().catch(() => ({}))) as { message?: string; detail?: string; title?: string };
        throw new Error(why.message ?? why.detail ?? why.title ?? `The gateway answered ${reply.status}.`);
      }
      // The gateway answers once it hears the topic: what is published from here on is heard.
      setState('on');
      const parser = createParser({
        onEvent: (e) => {
          // GraphQL over SSE: nothing comes behind it, and it has no data.
          if (e.event === 'complete') return;
          const seen = wordsOf(e.data);
          take({
            n: n.current++,
            at: new Date().toLocaleTimeString('en-GB'),
            id: e.id,
            gap: e.event === 'gap',
            ...seen,
          });
        },
      });
      const reader = reply.body.pipeThrough(new TextDecoderStream()).getReader();
      for (;;) {
        const { value, done } = await reader.read();
        if (done) break;
        parser.feed(value);
      }
      setTold('The gateway ended the stream.');
    } catch (error) {
      if (!mine.signal.aborted) setTold((error as Error).message);
    } finally {
      if (abort.current === mine) setState('off');
    }
  };
  const pause = () => {
    still.current = !still.current;
    setPaused(still.current);
    if (still.current) return;
    const late = held.current;
    held.current = [];
    setWaiting(0);
    setHeard((all) => [...late, ...all].slice(0, MOST_SHOWN));
  };
  const clear = () => {
    setHeard([]);
    setCount(0);
  };
  return { state, heard, told, paused, waiting, count, start, stop, pause, clear };
}

/** What a line of the list says of an event. */
function wordsOf(data: string): Pick<Heard, 'text' | 'type' | 'subject' | 'brief'> {
  try {
    const v = JSON.parse(data) as { specversion?: string; type?: string; subject?: string; data?: unknown };
    if (v.specversion === undefined) return { text: data, brief: data };
    return { text: data, type: v.type, subject: v.subject, brief: JSON.stringify(v.data ?? null) };
  } catch {
    return { text: data, brief: data };
  }
}

export function pretty(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
