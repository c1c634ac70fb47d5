'use client';
import Button from '@mui/material/Button';
import { recordedStubs, type CaseDocument, type FlowDocument, type Rehearsal, type ShownMessage } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow, JsonRow, NumberRow, RowMoves, TextRow } from './fields';
import { ListRow } from './list-row';

interface Props {
  readonly sample: CaseDocument;
  readonly document: FlowDocument;
  readonly rehearsal: Rehearsal | undefined;
  readonly onChange: (next: CaseDocument) => void;
}

type Expect = NonNullable<CaseDocument['expect']>;
type Stub = NonNullable<CaseDocument['stubs']>[number];

const without = <T extends object>(value: T): T | undefined => {
  const kept = Object.fromEntries(Object.entries(value).filter(([, v]) => v !== undefined)) as T;
  return Object.keys(kept).length ? kept : undefined;
};

/** What a case is called, who calls, what must come, and what stands for its backends. */
export function CaseEditor({ sample, document, rehearsal, onChange }: Props) {
  const [name, setName] = useState(sample.name);
  const expect: Expect = sample.expect ?? {};
  const put = (more: Partial<Expect>) => onChange({ ...sample, expect: without({ ...expect, ...more }) });
  const taken = (document.cases ?? []).some(
    (c) => c !== sample && c.operation === sample.operation && c.name === name.trim(),
  );
  const stubs = sample.stubs ?? [];
  const putStubs = (next: Stub[]) => onChange({ ...sample, stubs: next.length ? next : undefined });
  const recorded = rehearsal ? recordedStubs(document, sample.operation, rehearsal.steps) : [];
  return (
    <div className="case-editor" role="group" aria-label={`The case ${sample.name}`}>
      <h2>The case “{sample.name}”</h2>
      <div className="row">
        <TextRow hideLabel label="Name of the case" value={name} onChange={(t) => setName(t ?? '')} />
        <Button
          variant="outlined"
          disabled={!name.trim() || taken || name.trim() === sample.name}
          onClick={() => onChange({ ...sample, name: name.trim() })}
        >
          Rename
        </Button>
      </div>
      {taken && <div className="rust">Another case has this name.</div>}
      {document.doors.length > 1 && (
        <ChoiceRow
          label="Comes in by the door"
          value={sample.door ?? document.doors[0]!.name}
          options={document.doors.map((d): [string, string] => [d.name, `${d.name}, ${d.path}`])}
          onChange={(door) => onChange({ ...sample, door: door === document.doors[0]!.name ? undefined : door })}
        />
      )}
      <div className="soft">Who calls, as flows read it: app.name, plan.name, plan.values</div>
      <div className="row">
        <TextRow
          hideLabel
          label="App"
          value={sample.app?.name}
          placeholder="app"
          onChange={(n) =>
            onChange({ ...sample, app: n ? { ...sample.app, id: sample.app?.id ?? n, name: n } : undefined })
          }
        />
        <TextRow
          hideLabel
          label="Plan"
          value={sample.app?.plan}
          placeholder="plan"
          onChange={(plan) => onChange({ ...sample, app: { id: sample.app?.id ?? 'app', ...sample.app, plan } })}
        />
      </div>
      {sample.app && (
        <JsonRow
          label="Values of the plan, JSON"
          value={sample.app.values}
          onChange={(values) =>
            onChange({ ...sample, app: { ...sample.app!, values: values as Record<string, unknown> | undefined } })
          }
        />
      )}
      <div className="row">
        <h2 className="grow">Expected</h2>
        {rehearsal && (
          <button
            className="plain spruce"
            onClick={() =>
              put({ status: rehearsal.reply.status, body: bodyOf(rehearsal.reply), ignore: expect.ignore })
            }
          >
            Expect the reply that came now
          </button>
        )}
      </div>
      <NumberRow
        label="Status"
        value={expect.status}
        least={100}
        most={599}
        placeholder="any but 5XX"
        onChange={(status) => put({ status })}
      />
      <JsonRow label="Whole body, JSON" lines={6} value={expect.body} onChange={(body) => put({ body })} />
      {expect.body !== undefined && (
        <ListRow
          label="Parts that may differ: pointers, * for any item"
          mono
          values={expect.ignore}
          placeholder="/id, /items/*/at"
          onChange={(ignore) => put({ ignore })}
        />
      )}
      <div className="soft">Chosen parts</div>
      {(expect.parts ?? []).map((part, i) => {
        const parts = expect.parts!;
        const set = (next: (typeof parts)[number]) => put({ parts: parts.map((x, n) => (n === i ? next : x)) });
        const how =
          part.exists !== undefined ? (part.exists ? 'there' : 'gone') : part.matches !== undefined ? 'matches' : 'is';
        return (
          <div key={i} className="row">
            <TextRow
              hideLabel
              mono
              label={`Pointer ${i + 1}`}
              value={part.at}
              placeholder="/berth/number"
              onChange={(at) => set({ ...part, at: at ?? '' })}
            />
            <ChoiceRow
              hideLabel
              label={`How part ${i + 1} is judged`}
              width={110}
              value={how}
              options={[
                ['is', 'is'],
                ['matches', 'matches'],
                ['there', 'is there'],
                ['gone', 'is missing'],
              ]}
              onChange={(h) =>
                set(
                  h === 'is'
                    ? { at: part.at, is: '' }
                    : h === 'matches'
                      ? { at: part.at, matches: '' }
                      : { at: part.at, exists: h === 'there' },
                )
              }
            />
            {(how === 'is' || how === 'matches') && (
              <TextRow
                hideLabel
                mono
                label={`Value ${i + 1}`}
                value={
                  how === 'matches' ? part.matches : typeof part.is === 'string' ? part.is : JSON.stringify(part.is)
                }
                onChange={(t) =>
                  set(how === 'matches' ? { at: part.at, matches: t ?? '' } : { at: part.at, is: valueOf(t ?? '') })
                }
              />
            )}
            <RowMoves
              index={i}
              count={parts.length}
              what={`part ${i + 1}`}
              onRemove={() => put({ parts: parts.length > 1 ? parts.filter((_x, n) => n !== i) : undefined })}
            />
          </div>
        );
      })}
      <button
        className="plain spruce"
        onClick={() => put({ parts: [...(expect.parts ?? []), { at: '', exists: true }] })}
      >
        Add a part
      </button>
      <div className="row">
        <h2 className="grow">Stubs in place of backends</h2>
        {recorded.length > 0 && (
          <button className="plain spruce" onClick={() => putStubs(recorded)}>
            Keep what the backends answered now
          </button>
        )}
      </div>
      {stubs.map((s, i) => (
        <StubRow
          key={i}
          stub={s}
          n={i + 1}
          document={document}
          onChange={(next) => putStubs(stubs.flatMap((x, n) => (n !== i ? [x] : next ? [next] : [])))}
        />
      ))}
      <button
        className="plain spruce"
        disabled={!Object.keys(document.backends ?? {}).length}
        onClick={() =>
          putStubs([...stubs, { backend: Object.keys(document.backends ?? {})[0]!, status: 200, body: {} }])
        }
      >
        Add a stub
      </button>
      {!stubs.length && <div className="soft">None: this case asks the real backends of the environment.</div>}
    </div>
  );
}

function valueOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}

function StubRow({
  stub,
  n,
  document,
  onChange,
}: {
  stub: Stub;
  n: number;
  document: FlowDocument;
  onChange: (s: Stub | undefined) => void;
}) {
  const how = stub.failure ?? (stub.fault ? 'fault' : 'answer');
  return (
    <div className="pin-line">
      <div className="row">
        <ChoiceRow
          hideLabel
          label={`Backend of stub ${n}`}
          width={140}
          value={stub.backend}
          options={Object.keys(document.backends ?? {}).map((b): [string, string] => [b, b])}
          onChange={(backend) => onChange({ ...stub, backend })}
        />
        <TextRow
          hideLabel
          mono
          label={`Operation of stub ${n}`}
          value={stub.operation}
          placeholder="every operation"
          onChange={(operation) => onChange({ ...stub, operation })}
        />
        <ChoiceRow
          hideLabel
          label={`What stub ${n} does`}
          width={150}
          value={how}
          options={[
            ['answer', 'answers'],
            ['fault', 'answers with a fault'],
            ['unreachable', 'cannot be reached'],
            ['timeout', 'does not answer'],
            ['unreadable', 'cannot be read'],
          ]}
          onChange={(h) =>
            onChange({
              backend: stub.backend,
              operation: stub.operation,
              ...(h === 'answer'
                ? { status: 200, body: {} }
                : h === 'fault'
                  ? { fault: { reason: 'refused' } }
                  : { failure: h }),
            })
          }
        />
        <RowMoves index={n} count={n} what={`stub ${n}`} onRemove={() => onChange(undefined)} />
      </div>
      {how === 'answer' && (
        <>
          <div className="row">
            <NumberRow
              hideLabel
              label={`Status of stub ${n}`}
              width={90}
              value={stub.status}
              least={100}
              most={599}
              placeholder="200"
              onChange={(status) => onChange({ ...stub, status })}
            />
            <NumberRow
              hideLabel
              label={`Delay of stub ${n} in milliseconds`}
              width={130}
              value={stub.delayMs}
              least={0}
              most={60_000}
              placeholder="no delay, ms"
              onChange={(delayMs) => onChange({ ...stub, delayMs })}
            />
          </div>
          {typeof stub.body === 'string' ? (
            <TextRow
              label="Text of the answer"
              mono
              value={stub.body}
              onChange={(body) => onChange({ ...stub, body })}
            />
          ) : (
            <JsonRow
              label="Answer, JSON; written as the contract demands"
              lines={4}
              value={stub.body}
              onChange={(body) => onChange({ ...stub, body })}
            />
          )}
        </>
      )}
      {how === 'fault' && (
        <JsonRow
          label="Fault, JSON: name, reason, detail"
          lines={4}
          value={stub.fault}
          onChange={(fault) => onChange({ ...stub, fault: (fault ?? {}) as Stub['fault'] })}
        />
      )}
    </div>
  );
}

/** The body of a reply as a case holds it: a JSON value, or text. */
function bodyOf(m: ShownMessage): unknown {
  if (m.text === undefined || !/json/i.test(m.mediaType ?? '')) return m.text;
  try {
    return JSON.parse(m.text) as unknown;
  } catch {
    return m.text;
  }
}
