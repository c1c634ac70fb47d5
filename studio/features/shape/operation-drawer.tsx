'use client';
import Button from '@mui/material/Button';
import Drawer from '@mui/material/Drawer';
import type { FlowDocument, OperationDocument, ParameterDocument } from '@hinge/core';
import Link from 'next/link';
import { useState } from 'react';
import { ChoiceRow, NumberRow, TextRow } from '../fold/fields';
import { Examples } from './examples';
import { OtherBodies } from './other-bodies';
import { Parameters } from './parameters';
import { SamplesDialog } from './samples-dialog';
import { SchemaTree } from './schema-tree';
import { ListRow } from '../fold/list-row';

const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS', 'ANY'] as const;
interface Props {
  readonly slug: string;
  readonly document: FlowDocument;
  readonly id: string | undefined;
  readonly readOnly?: boolean;
  /** The text stands at the right: both can be written in. */
  readonly beside?: boolean;
  readonly onClose: () => void;
  readonly onChange: (operation: OperationDocument) => void;
  readonly onRename: (id: string) => void;
  readonly onRemove: () => void;
}

/** What callers see of one operation: method and path, parameters, request and reply, examples. */
export function OperationDrawer(p: Props) {
  const operation = p.id === undefined ? undefined : p.document.operations[p.id];
  return (
    <Drawer
      anchor={p.beside ? 'left' : 'right'}
      variant={p.beside ? 'persistent' : 'temporary'}
      open={operation !== undefined}
      onClose={p.onClose}
      slotProps={{ paper: { sx: { width: p.beside ? '50vw' : 760 }, 'aria-label': `Operation ${p.id ?? ''}` } }}
    >
      {operation && <Editor key={p.id} {...p} id={p.id!} operation={operation} />}
    </Drawer>
  );
}

function Editor({
  slug,
  document,
  id,
  operation: o,
  readOnly,
  onClose,
  onChange,
  onRename,
  onRemove,
}: Props & { id: string; operation: OperationDocument }) {
  const [name, setName] = useState(id);
  const [samplesFor, setSamplesFor] = useState<'request' | 'reply'>();
  const types = Object.keys(document.types ?? {});
  const put = (more: Partial<OperationDocument>) => onChange({ ...o, ...more });
  /** Parameters of the path follow the path. */
  const setPath = (path: string) => {
    const named = [...path.matchAll(/\{([^}]+)\}/g)].map((m) => m[1]!);
    const kept = (o.parameters ?? []).filter((x) => x.in !== 'path' || named.includes(x.name));
    const added = named
      .filter((n) => !kept.some((x) => x.in === 'path' && x.name === n))
      .map((n): ParameterDocument => ({ name: n, in: 'path', required: true, schema: { type: 'string' } }));
    const parameters = [...added, ...kept];
    put({ path, parameters: parameters.length ? parameters : undefined });
  };
  const usable = /^[A-Za-z_][A-Za-z0-9_-]{0,99}$/.test(name) && (name === id || !document.operations[name]);
  return (
    <div className="cases">
      <div className="row">
        <h2 className="grow">What callers see of {id}</h2>
        <Link href={`/apis/${slug}/${id}`}>Open its flow</Link>
        <button className="plain soft" onClick={onClose} aria-label="Close">
          ×
        </button>
      </div>
      <div className="row">
        <TextRow
          hideLabel
          mono
          label="Name of the operation"
          value={name}
          readOnly={readOnly}
          onChange={(t) => setName(t ?? '')}
        />
        <Button variant="outlined" disabled={readOnly || !usable || name === id} onClick={() => onRename(name)}>
          Rename
        </Button>
      </div>
      <div className="row">
        <ChoiceRow
          hideLabel
          label="Method"
          width={110}
          value={o.method}
          options={METHODS.map((m) => [m, m === 'ANY' ? 'any' : m] as const)}
          readOnly={readOnly}
          onChange={(method) => put({ method })}
        />
        <TextRow
          hideLabel
          mono
          label="Path"
          value={o.path}
          placeholder="/berths/{id}"
          readOnly={readOnly}
          onChange={(t) => t?.startsWith('/') && setPath(t)}
        />
      </div>
      <TextRow
        label="What it does, in one line"
        value={o.summary}
        readOnly={readOnly}
        onChange={(summary) => put({ summary })}
      />
      <TextRow
        label="Description"
        value={o.description}
        readOnly={readOnly}
        onChange={(description) => put({ description })}
      />
      <ListRow label="Tags, with commas" values={o.tags} readOnly={readOnly} onChange={(tags) => put({ tags })} />
      <label className="row">
        <input
          type="checkbox"
          checked={o.internal ?? false}
          disabled={readOnly}
          onChange={(e) => put({ internal: e.target.checked || undefined })}
        />
        internal: no door leads here, other flows call it
      </label>

      <Parameters operation={o} readOnly={readOnly} onChange={(parameters) => put({ parameters })} />

      <div className="row">
        <h2 className="grow">Request body</h2>
        {!readOnly && (
          <button className="plain spruce" onClick={() => setSamplesFor('request')}>
            From samples …
          </button>
        )}
        {!readOnly && o.request && (
          <button className="plain soft" onClick={() => put({ request: undefined })}>
            no body
          </button>
        )}
      </div>
      {o.request ? (
        <>
          <div className="row">
            <TextRow
              hideLabel
              mono
              label="Content type of the request"
              value={o.request.mediaType}
              placeholder="application/json"
              readOnly={readOnly}
              onChange={(mediaType) => put({ request: { ...o.request, mediaType } })}
            />
            <label className="row nowrap" style={{ gap: 4 }}>
              <input
                type="checkbox"
                checked={o.request.required ?? false}
                disabled={readOnly}
                onChange={(e) => put({ request: { ...o.request, required: e.target.checked || undefined } })}
              />{' '}
              needed
            </label>
          </div>
          <SchemaTree
            schema={o.request.schema ?? {}}
            types={types}
            readOnly={readOnly}
            onChange={(schema) => put({ request: { ...o.request, schema } })}
          />
          <OtherBodies
            others={o.request.others}
            types={types}
            readOnly={readOnly}
            onChange={(others) => put({ request: { ...o.request, others } })}
          />
        </>
      ) : (
        <div className="row soft">
          <span className="grow">None.</span>
          {!readOnly && o.method !== 'GET' && (
            <button
              className="plain spruce"
              onClick={() =>
                put({
                  request: {
                    mediaType: 'application/json',
                    required: true,
                    schema: { type: 'object', properties: {} },
                  },
                })
              }
            >
              Give it a body
            </button>
          )}
        </div>
      )}

      <div className="row">
        <h2 className="grow">Reply</h2>
        {!readOnly && (
          <button className="plain spruce" onClick={() => setSamplesFor('reply')}>
            From samples …
          </button>
        )}
      </div>
      <div className="row">
        <NumberRow
          hideLabel
          label="Status of the reply"
          width={90}
          value={o.reply?.status}
          least={200}
          most={599}
          placeholder="200"
          readOnly={readOnly}
          onChange={(status) => put({ reply: { ...o.reply, status } })}
        />
        <TextRow
          hideLabel
          mono
          label="Content type of the reply"
          value={o.reply?.mediaType}
          placeholder="application/json"
          readOnly={readOnly}
          onChange={(mediaType) => put({ reply: { ...o.reply, mediaType } })}
        />
      </div>
      <SchemaTree
        schema={o.reply?.schema ?? {}}
        types={types}
        readOnly={readOnly}
        onChange={(schema) =>
          put({ reply: { ...o.reply, schema, mediaType: o.reply?.mediaType ?? 'application/json' } })
        }
      />
      <Examples operation={o} readOnly={readOnly} onChange={onChange} />
      {!readOnly && (
        <div className="row" style={{ marginTop: 12 }}>
          <span className="grow" />
          <button className="plain rust" onClick={onRemove}>
            Remove the operation, its flow and its cases
          </button>
        </div>
      )}
      <SamplesDialog
        key={samplesFor}
        open={samplesFor !== undefined}
        onClose={() => setSamplesFor(undefined)}
        onUse={(schema, value, mediaType) => {
          const side = samplesFor!;
          setSamplesFor(undefined);
          if (side === 'request')
            put({
              request: {
                ...o.request,
                required: true,
                mediaType,
                schema,
                examples: { ...o.request?.examples, sample: { value } },
              },
            });
          else put({ reply: { ...o.reply, mediaType, schema, examples: { ...o.reply?.examples, sample: { value } } } });
        }}
      />
    </div>
  );
}
