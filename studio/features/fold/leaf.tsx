'use client';
import type { ShownMessage, ShownStep, TypeRow } from '@hinge/core';
import { useMemo, useState, type ReactNode } from 'react';
import { CodeView } from './code-view';
import { Difference } from './difference';
import { ChoiceRow } from './fields';
import { MessageTree } from './message-tree';
import { formatWords, layout, rowsOfValue, sizeWords, valueOf } from './values';
import type { SampleRequest } from '@hinge/core';

type Mode = 'Tree' | 'Text' | 'Difference' | 'Against';

interface Props {
  readonly side: 'left' | 'right';
  readonly title: string;
  readonly message: ShownMessage | undefined;
  readonly other?: ShownMessage;
  /** What it can be compared with: the same place in a rehearsal that was kept, and every other message. */
  readonly against?: {
    readonly message?: ShownMessage;
    readonly words?: string;
    readonly leaves: readonly { readonly words: string; readonly message: ShownMessage }[];
  };
  readonly rows?: readonly TypeRow[];
  readonly sample?: SampleRequest;
  readonly preferred: 'Tree' | 'Text';
  readonly made?: boolean;
  readonly error?: ShownStep['error'];
  readonly chosen?: string;
  readonly lit?: ReadonlySet<string>;
  readonly anchors?: ReadonlySet<string>;
  readonly faulty?: ReadonlySet<string>;
  readonly onChoose?: (pointer: string) => void;
  /** Rows can be dragged from the left tree to the right one. */
  readonly joinable?: boolean;
  readonly extra?: readonly TypeRow[];
  readonly extraValue?: Record<string, unknown>;
  readonly waiting?: string;
  readonly children?: ReactNode;
}

/** One message at one point of the flow: status line, headers, body as tree, text or difference. */
export function Leaf(p: Props) {
  const { message, side, other } = p;
  const [mode, setMode] = useState<Mode>(p.preferred);
  // What is not looked at is neither laid out nor read: messages may be large.
  const asText = mode !== 'Tree';
  const text = useMemo(() => (asText ? layout(message) : ''), [asText, message]);
  const otherText = useMemo(() => (asText ? layout(other) : ''), [asText, other]);
  const marks = useMemo(
    () => (p.made && side === 'right' && text !== otherText ? changedLines(otherText, text) : undefined),
    [p.made, side, otherText, text],
  );
  const value = useMemo(
    () => (asText ? {} : { ...(valueOf(message, p.sample) as object), ...p.extraValue }),
    [asText, message, p.sample, p.extraValue],
  );
  const rows = useMemo(
    () => [...(p.rows?.length ? p.rows : rowsOfValue(value)), ...(p.extra ?? [])],
    [p.rows, p.extra, value],
  );
  const reachFrom = p.extra?.length ? rows.length - p.extra.length : undefined;
  const modes: Mode[] = ['Tree', 'Text'];
  if (side === 'right' && other) modes.push('Difference');
  if (message && p.against?.leaves.length) modes.push('Against');
  const shownMode = modes.includes(mode) ? mode : 'Text';
  return (
    <section className={`leaf ${side}`} aria-label={p.title}>
      <div className="leaf-head">
        <h2 className="cut" title={p.title}>
          {p.title}
        </h2>
        <span className="grow" />
        <div role="tablist" aria-label="How the message is shown" className="modes">
          {modes.map((m) => (
            <button key={m} role="tab" aria-selected={m === shownMode} onClick={() => setMode(m)}>
              {m === 'Against' && p.against?.message ? 'Against held' : m}
            </button>
          ))}
        </div>
      </div>
      <div className="leaf-facts">
        {message ? (
          <>
            <span>{formatWords(message)}</span>
            {message.bytes > 0 && <span>{sizeWords(message.bytes)}</span>}
            {message.status !== undefined && (
              <span className={message.status >= 400 ? 'rust' : ''}>{message.status}</span>
            )}
            {message.cut && <span className="brass">cut to its beginning</span>}
          </>
        ) : (
          <span>{p.waiting ?? 'not reached'}</span>
        )}
      </div>
      {p.error && (
        <div className="told" style={{ margin: '4px 16px' }} role="alert">
          <strong>{p.error.status}</strong> {p.error.message}{' '}
          {p.error.guard && (
            <div>
              Refused by the guard <strong>{p.error.guard.kind}</strong> of {p.error.guard.from}.
            </div>
          )}
          {p.error.inner && (
            <div className="mono" style={{ marginTop: 4, overflowWrap: 'anywhere' }}>
              {p.error.inner}
            </div>
          )}{' '}
          <code className="soft">{p.error.code}</code>
        </div>
      )}
      {p.children}
      {shownMode === 'Against' && p.against ? (
        <Against key={p.against.words ?? ''} message={message} text={text} against={p.against} />
      ) : shownMode === 'Tree' ? (
        <div className="leaf-body" data-scroll={side} tabIndex={p.onChoose ? undefined : 0}>
          <MessageTree
            rows={rows}
            value={value}
            made={p.made && side === 'right'}
            side={side}
            chosen={p.chosen}
            lit={p.lit}
            anchors={p.anchors}
            faulty={p.faulty}
            onChoose={p.onChoose}
            joinable={p.joinable}
            label={`Fields of ${p.title}`}
            reachFrom={reachFrom}
          />
          {!rows.length && message && (
            <div className="soft" style={{ padding: '0 16px' }}>
              {message.bytes ? 'This body is no tree; look at it as text.' : 'No body.'}
            </div>
          )}
        </div>
      ) : (
        <div className="leaf-body">
          {message && <WireHead message={message} />}
          {!message ? null : shownMode === 'Text' ? (
            <CodeView text={text} marks={marks} />
          ) : (
            <Difference before={otherText} after={text} />
          )}
        </div>
      )}
    </section>
  );
}

/** This message beside any other one. */
function Against({
  message,
  text,
  against,
}: {
  message: ShownMessage | undefined;
  text: string;
  against: NonNullable<Props['against']>;
}) {
  const [chosen, setChosen] = useState(against.message ? 'held' : '0');
  const other = chosen === 'held' ? against.message : against.leaves[Number(chosen)]?.message;
  const options: [string, string][] = [
    ...(against.message ? [['held', `held: the same place, ${against.words}`] as [string, string]] : []),
    ...against.leaves.map((l, n): [string, string] => [String(n), l.words]),
  ];
  return (
    <div className="leaf-body">
      <div className="leaf-facts">
        <ChoiceRow hideLabel label="Compare with" value={chosen} options={options} onChange={setChosen} />
      </div>
      {other && layout(other) === text && other.status === message?.status ? (
        <div className="soft" style={{ padding: '0 16px' }}>
          No difference.
        </div>
      ) : (
        <Difference before={wireText(other)} after={wireText(message)} />
      )}
    </div>
  );
}

/** Status and body, for comparing. */
function wireText(m: ShownMessage | undefined): string {
  if (!m) return '';
  return `${m.status ?? `${m.method ?? ''} ${m.path ?? ''}`.trim()}\n${layout(m)}`;
}

/** Header fields that say what a message is; the rest opens on demand. */
const TELLING = new Set([
  'content-type',
  'soapaction',
  'location',
  'accept',
  'authorization',
  'www-authenticate',
  'retry-after',
  'cache-control',
  'cache-status',
  'etag',
  'allow',
]);

/** Start line and header fields, as they stand on the wire. */
function WireHead({ message }: { message: ShownMessage }) {
  const start =
    message.status !== undefined
      ? String(message.status)
      : message.method
        ? `${message.method} ${message.path ?? ''}`
        : '';
  const [all, setAll] = useState(false);
  const headers = Object.entries(message.headers);
  if (!start && !headers.length) return null;
  const shown = all || headers.length <= 3 ? headers : headers.filter(([name]) => TELLING.has(name));
  return (
    <div className="wire" role="group" aria-label="Start line and headers">
      {start && <div>{start}</div>}
      {shown.map(([name, value]) => (
        <div key={name}>
          <span className="soft">{name}:</span> {value}
        </div>
      ))}
      {shown.length < headers.length && (
        <button className="plain soft" onClick={() => setAll(true)}>
          {headers.length - shown.length} more
        </button>
      )}
    </div>
  );
}

/** Lines of the after text that do not stand in the before text; leading space does not count. */
function changedLines(before: string, after: string): ReadonlySet<number> {
  const had = new Set(before.split('\n').map((l) => l.trim()));
  const marks = new Set<number>();
  after.split('\n').forEach((line, i) => {
    if (!had.has(line.trim())) marks.add(i);
  });
  return marks;
}
