'use client';
import { convertBothWays, type ShownMessage, type StepDocument, type TypeTable } from '@hinge/core';
import { useMemo } from 'react';
import { ChoiceRow, TextRow } from './fields';
import { layout } from './values';
import { ListRow } from './list-row';

type ConvertStep = Extract<StepDocument, { kind: 'convert' }>;

const FORMS = [
  ['json', 'JSON'],
  ['xml', 'XML'],
  ['form', 'a form'],
  ['multipart', 'a form of parts (multipart)'],
  ['csv', 'CSV'],
] as const;

interface Props {
  readonly step: ConvertStep;
  readonly types: readonly string[];
  readonly table: TypeTable;
  readonly before: ShownMessage | undefined;
  readonly readOnly?: boolean;
  readonly onChange: (step: ConvertStep) => void;
}

/** The two ways to convert with what each makes of the message now, and the settings of the general form. */
export function ConvertPin({ step, types, table, before, readOnly, onChange }: Props) {
  const s = step.settings ?? {};
  const put = (more: Partial<NonNullable<ConvertStep['settings']>>) => {
    const next = Object.fromEntries(
      Object.entries({ ...s, ...more }).filter(([, v]) => v !== undefined && v !== false),
    );
    onChange({ ...step, settings: Object.keys(next).length ? next : undefined });
  };
  const yesNo = (label: string, key: 'typed' | 'keepCdata' | 'dropNamespaces') => (
    <label className="row">
      <input
        type="checkbox"
        checked={s[key] ?? false}
        disabled={readOnly}
        onChange={(e) => put({ [key]: e.target.checked || undefined })}
      />{' '}
      {label}
    </label>
  );
  return (
    <div className="pin-form">
      <ChoiceRow
        label="The body becomes"
        value={step.to}
        options={FORMS}
        readOnly={readOnly}
        onChange={(to) => onChange({ ...step, to })}
      />
      <ChoiceRow
        label="By"
        value={step.by ?? 'either'}
        options={[
          ['either', 'a schema, where there is one, else by the settings'],
          ['schema', 'a schema only'],
          ['settings', 'the settings only'],
        ]}
        readOnly={readOnly}
        onChange={(by) => onChange({ ...step, by: by === 'either' ? undefined : by })}
      />
      {step.by !== 'settings' && (
        <ChoiceRow
          label="The schema is"
          value={step.type ?? ''}
          options={[['', 'the one the message came with'], ...types.map((t): [string, string] => [t, t])]}
          readOnly={readOnly}
          onChange={(type) => onChange({ ...step, type: type || undefined })}
        />
      )}
      {before?.text !== undefined && <BothWays step={step} table={table} before={before} />}
      <div className="soft">Settings of the general form:</div>
      {step.to === 'xml' && (
        <TextRow
          label="Root element"
          mono
          value={step.root}
          placeholder="root"
          readOnly={readOnly}
          onChange={(root) => onChange({ ...step, root })}
        />
      )}
      {(step.to === 'json' || step.to === 'xml') && (
        <>
          <TextRow
            label="Mark of attributes"
            mono
            width={90}
            value={s.attribute}
            placeholder="@"
            readOnly={readOnly}
            onChange={(attribute) => put({ attribute })}
          />
          <TextRow
            label="Member for text beside attributes"
            mono
            value={s.text}
            placeholder="#text"
            readOnly={readOnly}
            onChange={(text) => put({ text })}
          />
        </>
      )}
      {step.to === 'json' && (
        <>
          <ListRow
            label="Elements that are always lists"
            mono
            values={s.lists}
            placeholder="names, with commas"
            readOnly={readOnly}
            onChange={(lists) => put({ lists })}
          />
          {yesNo('numbers, true and false become JSON numbers and booleans', 'typed')}
          {yesNo('CDATA stays apart from text', 'keepCdata')}
          {yesNo('leave prefixes and namespaces out', 'dropNamespaces')}
        </>
      )}
      {step.to === 'csv' && (
        <TextRow
          label="Between cells"
          mono
          width={90}
          value={s.delimiter}
          placeholder=","
          readOnly={readOnly}
          onChange={(d) => put({ delimiter: d?.slice(0, 1) })}
        />
      )}
    </div>
  );
}

const MEDIA = {
  json: 'application/json',
  xml: 'application/xml',
  form: 'application/x-www-form-urlencoded',
  multipart: 'multipart/form-data',
  csv: 'text/csv',
} as const;
const SHOWN = 2_000;

/** What the schema makes of the message and what the settings make of it, side by side. */
function BothWays({ step, table, before }: { step: ConvertStep; table: TypeTable; before: ShownMessage }) {
  const both = useMemo(() => convertBothWays(step, table, before), [step, table, before]);
  const show = (text: string) => {
    const laid = layout({ text, mediaType: MEDIA[step.to] });
    return laid.length > SHOWN ? `${laid.slice(0, SHOWN)}\n…` : laid;
  };
  const way = (by: 'schema' | 'settings', words: string) => (
    <div className={step.by === undefined || step.by === by ? '' : 'dim'}>
      <div className="soft">{words}</div>
      <pre className="mono" tabIndex={0} aria-label={`Converted ${words}`}>
        {show(both[by])}
      </pre>
    </div>
  );
  return (
    <div className="both-ways">
      {way('schema', 'by the schema')}
      {way('settings', 'by the settings')}
    </div>
  );
}
