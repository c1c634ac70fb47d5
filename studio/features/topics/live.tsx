'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { createParser } from 'eventsource-parser';
import { useCallback, useEffect, useRef, useState } from 'react';
import { ChoiceRow } from '../fold/fields';
import { send, type RequestError } from '../../lib/client';

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

interface Props {
  readonly slug: string;
  readonly topic: string;
  readonly environments: readonly { readonly name: string; readonly title: string }[];
  /** Data that fits the schema, to begin with. */
  readonly sample: string;
}

/** A listener and a publisher to try a topic with, on a gateway that runs it. */
export function Live({ slug, topic, environments, sample }: Props) {
  const [environment, setEnvironment] = useState(environments[0]?.name ?? '');
  const [key, setKey] = useState('');
  const [filter, setFilter] = useState('');
  const [open, setOpen] = useState<number>();
  const l = useListener(`/api/apis/${slug}/topics/${topic}?in=${encodeURIComponent(environment)}`, key);
  const [text, setText] = useState(sample);
  const [said, setSaid] = useState<{ readonly status: number; readonly text: string }>();
  const [busy, setBusy] = useState(false);
  const publish = async () => {
    setBusy(true);
    try {
      setSaid(
        await send<{ status: number; text: string }>('POST', `/api/apis/${slug}/topics/${topic}`, {
          in: environment,
          text,
          mediaType: text.includes('"specversion"') ? 'application/cloudevents+json' : 'application/json',
          ...(key && { key }),
        }),
      );
    } catch (error) {
      setSaid({ status: (error as RequestError).status, text: (error as Error).message });
    } finally {
      setBusy(false);
    }
  };
  const shown = l.heard.filter((h) => !filter || h.text.toLowerCase().includes(filter.toLowerCase()));
  return (
    <div className="live">
      <section aria-label="Listen">
        <div className="row">
          <h3 className="grow">Listen</h3>
          <ChoiceRow
            hideLabel
            label="Environment"
            width={130}
            value={environment}
            options={environments.map((e): [string, string] => [e.name, e.title])}
            onChange={setEnvironment}
          />
          {l.state !== 'off' ? (
            <Button variant="outlined" onClick={l.stop}>
              Stop
            </Button>
          ) : (
            <Button variant="contained" onClick={() => void l.start()}>
              Listen
            </Button>
          )}
        </div>
        <div className="row">
          <TextField
            value={filter}
            onChange={(e) => setFilter(e.target.value)}
            placeholder="Only events with this text"
            slotProps={{ htmlInput: { 'aria-label': 'Only events with this text' } }}
            sx={{ flex: 1 }}
          />
          <TextField
            value={key}
            type="password"
            autoComplete="off"
            onChange={(e) => setKey(e.target.value)}
            placeholder="key of an app, where one is asked for"
            slotProps={{ htmlInput: { 'aria-label': 'Key of an app' } }}
            sx={{ flex: 1 }}
          />
        </div>
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
        {l.told && (
          <div className="told" role="alert">
            {l.told}
          </div>
        )}
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
      </section>
      <section aria-label="Publish">
        <div className="row">
          <h3 className="grow">Publish</h3>
          <Button variant="outlined" disabled={busy} onClick={() => void publish()}>
            {busy ? 'Sending …' : 'Publish'}
          </Button>
        </div>
        <TextField
          multiline
          minRows={6}
          maxRows={16}
          fullWidth
          value={text}
          onChange={(e) => setText(e.target.value)}
          slotProps={{ htmlInput: { 'aria-label': 'Data of the event', className: 'mono', spellCheck: false } }}
        />
        {said && (
          <div className={said.status < 400 ? 'note' : 'told'} role="status">
            <strong>{said.status}</strong>
            <pre className="mono">{pretty(said.text)}</pre>
          </div>
        )}
      </section>
    </div>
  );
}

/** A stream of events, held in order; the newest come first. */
function useListener(url: string, key: string) {
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
  // Another topic or environment is another stream.
  useEffect(() => stop, [url, stop]);
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
      const reply = await fetch(url, { signal: mine.signal, headers: key ? { 'x-caller-key': key } : {} });
      if (!reply.ok || !reply.body) {
        const why = (await reply.json().catch(() => ({}))) as { message?: string; detail?: string; title?: string };
        throw new Error(why.message ?? why.detail ?? why.title ?? `The gateway answered ${reply.status}.`);
      }
      // The gateway answers once it hears the topic: what is published from here on is heard.
      setState('on');
      const parser = createParser({
        onEvent: (e) => {
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

function pretty(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
