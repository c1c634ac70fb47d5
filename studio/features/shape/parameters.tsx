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
            value={typeOf(x)}
            options={typeOf(x) === OTHER ? [...TYPES, [OTHER, otherWords(x)]] : TYPES}
            readOnly={readOnly}
            onChange={(t) => t !== OTHER && setParameter(i, withType(x, t))}
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

const TYPES = [
  ['string', 'text'],
  ['integer', 'whole number'],
  ['number', 'number'],
  ['boolean', 'true or false'],
  ['date', 'date'],
  ['date-time', 'date and time'],
  ['list', 'list of texts'],
  ['json', 'JSON'],
] as const;
/** A type that only the contract or the text can say; it stays until another is chosen. */
const OTHER = 'other';

function typeOf({ schema: s, mediaType }: ParameterDocument): string {
  if (mediaType !== undefined) return mediaType === 'application/json' ? 'json' : OTHER;
  if (s.type === 'array') return (s.items?.type ?? 'string') === 'string' ? 'list' : OTHER;
  if (s.format === 'date' || s.format === 'date-time') return s.format;
  if (s.type === undefined) return s.$ref || s.anyOf || s.oneOf || s.allOf || s.properties ? OTHER : 'string';
  return typeof s.type === 'string' && s.type !== 'object' && s.type !== 'null' ? s.type : OTHER;
}

function otherWords({ schema: s, mediaType }: ParameterDocument): string {
  if (mediaType !== undefined) return mediaType;
  if (s.$ref) return s.$ref.slice(s.$ref.lastIndexOf('/') + 1);
  return s.type === 'array' ? 'list' : s.type === 'object' || s.properties ? 'object' : 'several types';
}

/** One value stands as it is; JSON as a message of its own. */
function withType(
  { mediaType: _m, style: _s, explode: _e, ...rest }: ParameterDocument,
  type: string,
): ParameterDocument {
  if (type === 'json') return { ...rest, schema: {}, mediaType: 'application/json' };
  return { ...rest, schema: schemaFor(type) };
}

function schemaFor(type: string): JsonSchema {
  if (type === 'list') return { type: 'array', items: { type: 'string' } };
  if (type === 'date' || type === 'date-time') return { type: 'string', format: type };
  return { type: type as 'string' };
}
