'use client';
import type { OperationDocument } from '@hinge/core';
import { TextRow } from '../fold/fields';
import { SchemaTree } from './schema-tree';

type Others = NonNullable<NonNullable<OperationDocument['request']>['others']>;

interface Props {
  readonly others: Others | undefined;
  readonly types: readonly string[];
  readonly readOnly?: boolean;
  readonly onChange: (others: Others | undefined) => void;
}

/** Bodies that callers may send instead of the operation's own, each by its media type. */
export function OtherBodies({ others = [], types, readOnly, onChange }: Props) {
  const set = (next: Others) => onChange(next.length ? next : undefined);
  return (
    <>
      {others.map((b, i) => (
        <section key={i} aria-label={`Another body, ${b.mediaType}`} className="column">
          <div className="row">
            <span className="soft nowrap">or as</span>
            <TextRow
              hideLabel
              mono
              label={`Content type of the other body ${i + 1}`}
              value={b.mediaType}
              readOnly={readOnly}
              accept={(t) => /^[^\s/]+\/[^\s/]+/.test(t)}
              onChange={(mediaType) => mediaType && set(others.map((x, n) => (n === i ? { ...x, mediaType } : x)))}
            />
            {!readOnly && (
              <button
                className="plain soft nowrap"
                aria-label={`Without ${b.mediaType}`}
                onClick={() => set(others.filter((_, n) => n !== i))}
              >
                ×
              </button>
            )}
          </div>
          <SchemaTree
            schema={b.schema ?? {}}
            types={types}
            readOnly={readOnly}
            onChange={(schema) => set(others.map((x, n) => (n === i ? { ...x, schema } : x)))}
          />
        </section>
      ))}
      {!readOnly && others.length < 20 && (
        <div className="row">
          <button
            className="plain spruce"
            title="Callers may send something else instead, in a content type of its own"
            onClick={() =>
              set([...others, { mediaType: freeType(others), schema: { type: 'object', properties: {} } }])
            }
          >
            Another body …
          </button>
        </div>
      )}
    </>
  );
}

const USUAL = ['multipart/form-data', 'application/x-www-form-urlencoded', 'text/csv', 'application/octet-stream'];
const freeType = (others: Others): string =>
  USUAL.find((m) => !others.some((b) => b.mediaType === m)) ?? `application/x-other-${others.length}`;
