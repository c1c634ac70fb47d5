'use client';
import type { StepDocument, TypeRow, OperationDocument } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow, ExpressionRow, JsonRow, NumberRow, RowMoves, TextRow } from './fields';
import { TemplateEditor } from './template-editor';

type Step<K extends StepDocument['kind']> = Extract<StepDocument, { kind: K }>;

interface Props<K extends StepDocument['kind']> {
  readonly step: Step<K>;
  readonly rows: readonly TypeRow[];
  readonly readOnly?: boolean;
  readonly onChange: (s: StepDocument) => void;
}

export function SetPin({ step, rows, readOnly, onChange }: Props<'set'>) {
  const [name, setName] = useState('');
  const values = Object.entries(step.values);
  const add = () => {
    if (!/^[A-Za-z_][A-Za-z0-9_]*$/.test(name) || name in step.values) return;
    onChange({ ...step, values: { ...step.values, [name]: 'body' } });
    setName('');
  };
  return (
    <div className="pin-form">
      {values.map(([n, source], i) => (
        <div key={n}>
          <div className="row soft mono">
            <span className="grow">vars.{n}</span>
            <RowMoves
              index={i}
              count={values.length}
              what={n}
              readOnly={readOnly}
              onRemove={
                values.length > 1
                  ? () => onChange({ ...step, values: Object.fromEntries(values.filter(([x]) => x !== n)) })
                  : undefined
              }
            />
          </div>
          <ExpressionRow
            hideLabel
            label={`Expression for ${n}`}
            value={source}
            rows={rows}
            readOnly={readOnly}
            onChange={(t) => t.trim() && onChange({ ...step, values: { ...step.values, [n]: t } })}
          />
        </div>
      ))}
      {!readOnly && (
        <div className="row">
          <TextRow
            hideLabel
            mono
            label="Name of another variable"
            value={name}
            placeholder="another name"
            onChange={(t) => setName(t ?? '')}
          />
          <button className="plain spruce" onClick={add}>
            Add
          </button>
        </div>
      )}
    </div>
  );
}

type ReplyFrom = 'example' | 'template' | 'from' | 'body' | 'none';
const REPLY_FROM = [
  ['example', 'an example of the operation (mock)'],
  ['template', 'a template with {{ }}'],
  ['from', 'an expression'],
  ['body', 'a fixed value'],
  ['none', 'no body'],
] as const;

export function ReplyPin({
  step,
  rows,
  readOnly,
  operation,
  onChange,
}: Props<'reply'> & { operation: OperationDocument }) {
  const from: ReplyFrom =
    step.example !== undefined
      ? 'example'
      : step.template !== undefined
        ? 'template'
        : step.from !== undefined
          ? 'from'
          : step.body !== undefined
            ? 'body'
            : 'none';
  const examples = Object.keys(operation.reply?.examples ?? {});
  const mediaType = step.mediaType ?? operation.reply?.mediaType;
  const turn = (to: ReplyFrom) => {
    const { example: _e, template: _t, from: _f, body: _b, ...rest } = step;
    const start = {
      example: { example: 'auto' },
      template: { template: '{\n  "id": "{{ path.id }}"\n}' },
      from: { from: 'body' },
      body: { body: {} },
      none: {},
    }[to];
    const needsType = to !== 'none' && to !== 'example' && mediaType === undefined;
    onChange({ ...rest, ...start, ...(needsType && { mediaType: 'application/json' }) });
  };
  return (
    <div className="pin-form">
      <ChoiceRow label="Body from" value={from} options={REPLY_FROM} readOnly={readOnly} onChange={turn} />
      <NumberRow
        label="Status"
        value={step.status}
        least={200}
        most={599}
        placeholder={String(operation.reply?.status ?? 200)}
        readOnly={readOnly}
        onChange={(status) => onChange({ ...step, status })}
      />
      {from !== 'none' && (
        <TextRow
          label="Content type"
          mono
          value={step.mediaType}
          placeholder={operation.reply?.mediaType ?? 'application/json'}
          readOnly={readOnly}
          onChange={(m) => onChange({ ...step, mediaType: m })}
        />
      )}
      {from === 'example' && (
        <ChoiceRow
          label="Example"
          value={step.example ?? 'auto'}
          options={[
            ['auto', examples.length ? 'the first whose condition holds, else the first' : 'made from the schema'],
            ...examples.map((e): [string, string] => [e, e]),
          ]}
          readOnly={readOnly}
          onChange={(example) => onChange({ ...step, example })}
        />
      )}
      {from === 'template' && (
        <>
          <div className="soft">Template</div>
          <TemplateEditor
            label="Template of the body"
            value={step.template ?? ''}
            mediaType={mediaType ?? 'application/json'}
            rows={rows}
            readOnly={readOnly}
            onChange={(template) => onChange({ ...step, template })}
          />
        </>
      )}
      {from === 'from' && (
        <ExpressionRow
          label="Expression for the body"
          value={step.from ?? ''}
          rows={rows}
          readOnly={readOnly}
          onChange={(t) => onChange({ ...step, from: t || 'body' })}
        />
      )}
      {from === 'body' && (
        <JsonRow
          label="Body, JSON"
          lines={6}
          value={step.body}
          readOnly={readOnly}
          onChange={(body) => onChange({ ...step, body: body ?? null })}
        />
      )}
      <Headers step={step} readOnly={readOnly} onChange={onChange} />
    </div>
  );
}

function Headers({
  step,
  readOnly,
  onChange,
}: {
  step: Step<'reply'>;
  readOnly?: boolean;
  onChange: (s: StepDocument) => void;
}) {
  const [name, setName] = useState('');
  const rows = Object.entries(step.headers ?? {});
  const put = (next: Record<string, string>) =>
    onChange({ ...step, headers: Object.keys(next).length ? next : undefined });
  return (
    <>
      <div className="soft">Headers; values may hold {'{{ }}'}</div>
      {rows.map(([n, v], i) => (
        <div key={n} className="row">
          <span className="mono" style={{ width: 120, flex: 'none' }}>
            {n}
          </span>
          <TextRow
            hideLabel
            mono
            label={`Header ${n}`}
            value={v}
            readOnly={readOnly}
            onChange={(t) => put({ ...step.headers, [n]: t ?? '' })}
          />
          <RowMoves
            index={i}
            count={rows.length}
            what={`header ${n}`}
            readOnly={readOnly}
            onRemove={() => put(Object.fromEntries(rows.filter(([x]) => x !== n)))}
          />
        </div>
      ))}
      {!readOnly && (
        <div className="row">
          <TextRow
            hideLabel
            mono
            label="Name of another header"
            value={name}
            placeholder="another header"
            onChange={(t) => setName(t ?? '')}
          />
          <button
            className="plain spruce"
            onClick={() => {
              if (/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/.test(name)) {
                put({ ...step.headers, [name]: '' });
                setName('');
              }
            }}
          >
            Add
          </button>
        </div>
      )}
    </>
  );
}

export function CheckPin({
  step,
  types,
  operation,
  readOnly,
  onChange,
}: Omit<Props<'check'>, 'rows'> & { types: readonly string[]; operation: OperationDocument }) {
  const value =
    typeof step.against === 'string' ? step.against : 'type' in step.against ? `type ${step.against.type}` : 'schema';
  return (
    <div className="pin-form">
      <ChoiceRow
        label="The body must fit"
        value={value}
        options={[
          ['request', 'the request schema of the operation'],
          ['reply', 'the reply schema of the operation'],
          ...types.map((t): [string, string] => [`type ${t}`, `the type ${t}`]),
          ['schema', 'a schema of its own'],
        ]}
        readOnly={readOnly}
        onChange={(v) =>
          onChange({
            ...step,
            against:
              v === 'request' || v === 'reply'
                ? v
                : v === 'schema'
                  ? { schema: operation.reply?.schema ?? { type: 'object' } }
                  : { type: v.slice(5) },
          })
        }
      />
      {typeof step.against !== 'string' && 'schema' in step.against && (
        <JsonRow
          label="JSON Schema"
          lines={8}
          value={step.against.schema}
          readOnly={readOnly}
          onChange={(schema) => onChange({ ...step, against: { schema: (schema ?? {}) as never } })}
        />
      )}
      <div className="soft">
        A request that breaks it is a 400 that names the fields; any other message is ours, a 502.
      </div>
    </div>
  );
}
