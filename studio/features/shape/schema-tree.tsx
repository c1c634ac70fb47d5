'use client';
import type { JsonSchema } from '@hinge/core';
import { ChoiceRow, RowMoves, TextRow } from '../fold/fields';

type Kind = 'string' | 'integer' | 'number' | 'boolean' | 'object' | 'array' | 'any' | `ref ${string}`;

/** Bytes of a form of parts. */
const FILE = 'file';
const FORMATS = ['date', 'date-time', 'time', 'uuid', 'email', 'int32', 'int64'];

interface Props {
  readonly schema: JsonSchema;
  readonly types: readonly string[];
  readonly readOnly?: boolean;
  readonly onChange: (schema: JsonSchema) => void;
}

/** A schema as a tree that can be changed field by field. What the tree does not show (patterns, bounds, choices) stays as it is. */
export function SchemaTree(p: Props) {
  return (
    <div className="schema-tree" role="group" aria-label="Schema">
      <Node {...p} name={undefined} depth={0} />
    </div>
  );
}

export const refOf = (s: JsonSchema): string | undefined => /^#\/types\/(.+)$/.exec(s.$ref ?? '')?.[1];

function kindOf(s: JsonSchema): Kind {
  const ref = refOf(s);
  if (ref !== undefined) return `ref ${ref}`;
  const type = Array.isArray(s.type) ? s.type.find((t) => t !== 'null') : s.type;
  if (type === undefined || type === 'null') return s.properties ? 'object' : s.items ? 'array' : 'any';
  return type as Kind;
}

const nullable = (s: JsonSchema): boolean => Array.isArray(s.type) && s.type.includes('null');

function asKind(s: JsonSchema, kind: Kind): JsonSchema {
  const { description, xml } = s;
  const kept = { ...(description !== undefined && { description }), ...(xml !== undefined && { xml }) };
  if (kind.startsWith('ref ')) return { ...kept, $ref: `#/types/${kind.slice(4)}` };
  if (kind === 'any') return kept;
  if (kind === 'object') return { ...kept, type: 'object', properties: s.properties ?? {} };
  if (kind === 'array') return { ...kept, type: 'array', items: s.items ?? { type: 'string' } };
  return { ...kept, type: kind as 'string' };
}

interface NodeProps extends Props {
  readonly name: string | undefined;
  readonly depth: number;
  readonly required?: boolean;
  readonly onName?: (name: string) => void;
  readonly onRequired?: (required: boolean) => void;
  readonly onRemove?: () => void;
}

function Node({ schema, types, readOnly, onChange, name, depth, required, onName, onRequired, onRemove }: NodeProps) {
  const kind = kindOf(schema);
  const what = name ?? (depth ? 'items' : 'the body');
  const properties = Object.entries(schema.properties ?? {});
  const setProperty = (old: string, key: string, value: JsonSchema | undefined) => {
    const next = Object.fromEntries(
      properties.flatMap(([k, v]) => (k !== old ? [[k, v]] : value ? [[key, value]] : [])),
    );
    const needed = (schema.required ?? []).flatMap((r) => (r !== old ? [r] : value ? [key] : []));
    const { required: _r, ...rest } = schema;
    onChange({ ...rest, properties: next, ...(needed.length && { required: needed }) });
  };
  return (
    <>
      <div className="schema-row" style={{ paddingLeft: depth * 18 }}>
        {onName && name !== undefined ? (
          <TextRow
            hideLabel
            mono
            width={170}
            label={`Name of ${name}`}
            value={name}
            readOnly={readOnly}
            onChange={(t) => t && onName(t)}
          />
        ) : (
          <span className="soft" style={{ width: 170, flex: 'none' }}>
            {depth ? 'each item' : 'the body'}
          </span>
        )}
        <ChoiceRow<Kind>
          hideLabel
          label={`Type of ${what}`}
          width={132}
          value={kind}
          options={[
            ['string', 'text'],
            ['integer', 'whole number'],
            ['number', 'number'],
            ['boolean', 'true or false'],
            ['object', 'object'],
            ['array', 'list'],
            ['any', 'anything'],
            ...types.map((t): [Kind, string] => [`ref ${t}`, t]),
          ]}
          readOnly={readOnly}
          onChange={(k) => onChange(asKind(schema, k))}
        />
        {kind === 'string' && (
          <ChoiceRow
            hideLabel
            label={`Format of ${what}`}
            width={112}
            value={schema.contentMediaType || schema.format === 'binary' ? FILE : (schema.format ?? '')}
            options={[['', 'any text'], ...FORMATS.map((f): [string, string] => [f, f]), [FILE, 'a file']]}
            readOnly={readOnly}
            onChange={(format) => {
              const { format: _f, contentMediaType: had, ...rest } = schema;
              if (format === FILE) onChange({ ...rest, contentMediaType: had ?? 'application/octet-stream' });
              else onChange({ ...rest, ...(format && { format }) });
            }}
          />
        )}
        {onRequired && (
          <label className="row nowrap" style={{ gap: 4 }}>
            <input
              type="checkbox"
              checked={required ?? false}
              disabled={readOnly}
              onChange={(e) => onRequired(e.target.checked)}
            />{' '}
            needed
          </label>
        )}
        {!kind.startsWith('ref ') && kind !== 'any' && depth > 0 && (
          <label className="row nowrap" style={{ gap: 4 }}>
            <input
              type="checkbox"
              checked={nullable(schema)}
              disabled={readOnly}
              onChange={(e) =>
                onChange({ ...schema, type: (e.target.checked ? [kind, 'null'] : kind) as JsonSchema['type'] })
              }
            />{' '}
            or null
          </label>
        )}
        {schema.enum && <span className="soft cut">one of {schema.enum.map(String).join(', ')}</span>}
        <span className="grow" />
        <RowMoves index={0} count={1} what={what} readOnly={readOnly} onRemove={onRemove} />
      </div>
      {kind === 'object' && (
        <>
          {properties.map(([k, s]) => (
            <Node
              key={k}
              schema={s}
              types={types}
              readOnly={readOnly}
              name={k}
              depth={depth + 1}
              required={schema.required?.includes(k)}
              onChange={(next) => setProperty(k, k, next)}
              onName={(n) => !properties.some(([x]) => x === n) && setProperty(k, n, s)}
              onRequired={(on) => {
                const needed = on ? [...(schema.required ?? []), k] : (schema.required ?? []).filter((r) => r !== k);
                const { required: _r, ...rest } = schema;
                onChange({ ...rest, ...(needed.length && { required: needed }) });
              }}
              onRemove={() => setProperty(k, k, undefined)}
            />
          ))}
          {!readOnly && (
            <div style={{ paddingLeft: (depth + 1) * 18 }}>
              <button
                className="plain spruce"
                onClick={() => {
                  let n = properties.length + 1;
                  while (properties.some(([k]) => k === `field${n}`)) n++;
                  onChange({ ...schema, properties: { ...schema.properties, [`field${n}`]: { type: 'string' } } });
                }}
              >
                Add a field{name === undefined ? '' : ` to ${name}`}
              </button>
            </div>
          )}
        </>
      )}
      {kind === 'array' && (
        <Node
          schema={schema.items ?? {}}
          types={types}
          readOnly={readOnly}
          name={undefined}
          depth={depth + 1}
          onChange={(items) => onChange({ ...schema, items })}
        />
      )}
    </>
  );
}
