'use client';
import type { JsonSchema, OperationDocument, ParameterDocument } from '@hinge/core';
import { ChoiceRow, RowMoves, TextRow } from '../fold/fields';

const PLACES = [
  ['path', 'path'],
  ['query', 'query'],
  ['header', 'header'],
  ['cookie', 'cookie'],
] as const;

interface Props {
  readonly operation: OperationDocument;
  readonly readOnly?: boolean;
  readonly onChange: (parameters: ParameterDocument[] | undefined) => void;
}

/** Parameters of an operation: where each stands, its type, whether it is needed. */
export function Parameters({ operation: o, readOnly, onChange }: Props) {
  const setParameter = (i: number, next: ParameterDocument | undefined) => {
    const parameters = (o.parameters ?? []).flatMap((x, n) => (n !== i ? [x] : next ? [next] : []));
    onChange(parameters.length ? parameters : undefined);
  };
  return (
    <>
      <h2>Parameters</h2>
      {(o.parameters ?? []).map((x, i) => (
        <div key={i} className="row">
          <TextRow
            hideLabel
            mono
            width={170}
            label={`Name of parameter ${i + 1}`}
            value={x.name}
            readOnly={readOnly}
            onChange={(t) => t && setParameter(i, { ...x, name: t })}
          />
          <ChoiceRow
            hideLabel
            label={`Place of ${x.name}`}
            width={100}
            value={x.in}
            options={PLACES}
            readOnly={readOnly}
            onChange={(place) => setParameter(i, { ...x, in: place })}
          />
          <ChoiceRow
            hideLabel
            label={`Type of ${x.name}`}
            width={132}
            value={typeOf(x.schema)}
            options={[
              ['string', 'text'],
              ['integer', 'whole number'],
              ['number', 'number'],
              ['boolean', 'true or false'],
              ['date', 'date'],
              ['date-time', 'date and time'],
              ['list', 'list of texts'],
            ]}
            readOnly={readOnly}
            onChange={(t) => setParameter(i, { ...x, schema: schemaFor(t) })}
          />
          <label className="row nowrap" style={{ gap: 4 }}>
            <input
              type="checkbox"
              checked={x.in === 'path' || (x.required ?? false)}
              disabled={readOnly ?? x.in === 'path'}
              onChange={(e) => setParameter(i, { ...x, required: e.target.checked || undefined })}
            />{' '}
            needed
          </label>
          <TextRow
            hideLabel
            label={`Description of ${x.name}`}
            value={x.description}
            placeholder="what it means"
            readOnly={readOnly}
            onChange={(description) => setParameter(i, { ...x, description })}
          />
          <RowMoves
            index={i}
            count={1}
            what={`parameter ${x.name}`}
            readOnly={readOnly}
            onRemove={() => setParameter(i, undefined)}
          />
        </div>
      ))}
      {!readOnly && (
        <button
          className="plain spruce"
          onClick={() =>
            onChange([
              ...(o.parameters ?? []),
              { name: `parameter${(o.parameters?.length ?? 0) + 1}`, in: 'query', schema: { type: 'string' } },
            ])
          }
        >
          Add a parameter
        </button>
      )}
    </>
  );
}

function typeOf(s: JsonSchema): string {
  if (s.type === 'array') return 'list';
  if (s.format === 'date' || s.format === 'date-time') return s.format;
  return typeof s.type === 'string' ? s.type : 'string';
}

function schemaFor(type: string): JsonSchema {
  if (type === 'list') return { type: 'array', items: { type: 'string' } };
  if (type === 'date' || type === 'date-time') return { type: 'string', format: type };
  return { type: type as 'string' };
}
