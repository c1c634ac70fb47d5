'use client';
import type { ShownStep, StepDocument, TypeRow } from '@hinge/core';
import { GivenRows } from '../topics/parameters';
import { ChoiceRow, ExpressionRow } from './fields';

type Publish = Extract<StepDocument, { kind: 'publish' }>;

interface Props {
  readonly step: Publish;
  readonly rows: readonly TypeRow[];
  readonly seen: ShownStep | undefined;
  /** With the names of their parameters. */
  readonly topics: Readonly<Record<string, readonly string[]>>;
  readonly readOnly?: boolean;
  readonly onChange: (s: StepDocument) => void;
}

const PARTS = [
  ['data', 'Data; the body when empty'],
  ['type', 'Type of the event; the topic when empty'],
  ['subject', 'Subject: what it is about'],
  ['id', 'Id; a new one when empty'],
  ['once', 'Sent once for each; the header Idempotency-Key when empty'],
] as const;

/** Which topic, what the event says, and what becomes of the message. */
export function PublishPin({ step, rows, seen, topics, readOnly, onChange }: Props) {
  const notes = seen?.taken
    ? (seen.notes as
        | {
            id?: string;
            held?: boolean;
            repeated?: boolean;
            address?: string;
            data?: string;
            type?: string;
            subject?: string;
          }
        | undefined)
    : undefined;
  return (
    <div className="pin-form">
      {notes?.id !== undefined && (
        <div className="pin-box event" role="group" aria-label="The event">
          <div className={notes.held ? 'soft' : 'spruce'}>
            {notes.held
              ? 'A rehearsal sends nothing. This would go out:'
              : notes.repeated
                ? 'Sent before: this key had been seen'
                : 'Sent and confirmed'}
          </div>
          <div className="mono cut" title={notes.address}>
            {notes.address}
          </div>
          <div className="mono cut">
            <span className="soft">type</span> {notes.type}
          </div>
          {notes.subject !== undefined && (
            <div className="mono cut">
              <span className="soft">subject</span> {notes.subject}
            </div>
          )}
          {notes.data && <pre className="mono event-data">{pretty(notes.data)}</pre>}
        </div>
      )}
      <ChoiceRow
        label="Topic"
        value={step.topic}
        options={[...new Set([...Object.keys(topics), step.topic])].map((t): [string, string] => [
          t,
          t in topics ? t : `${t}, which does not exist`,
        ])}
        readOnly={readOnly}
        onChange={(topic) => onChange({ ...step, topic })}
      />
      <GivenRows
        names={topics[step.topic] ?? []}
        given={step.parameters}
        rows={rows}
        readOnly={readOnly}
        onChange={(parameters) => {
          const { parameters: _gone, ...rest } = step;
          onChange(parameters ? { ...rest, parameters } : rest);
        }}
      />
      {PARTS.map(([part, label]) => (
        <ExpressionRow
          key={part}
          label={label}
          value={step[part] ?? ''}
          rows={rows}
          readOnly={readOnly}
          onChange={(t) => {
            const { [part]: _gone, ...rest } = step;
            onChange(t.trim() ? { ...step, [part]: t } : rest);
          }}
        />
      ))}
      <ChoiceRow
        label="And then"
        value={step.answer === false ? 'on' : 'reply'}
        options={[
          ['reply', 'the message is the reply 202 with the id'],
          ['on', 'the message goes on as it was'],
        ]}
        readOnly={readOnly}
        onChange={(v) => {
          const { answer: _gone, ...rest } = step;
          onChange(v === 'on' ? { ...rest, answer: false } : rest);
        }}
      />
    </div>
  );
}

function pretty(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
