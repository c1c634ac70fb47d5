'use client';
import TextField from '@mui/material/TextField';
import type { FlowDocument, JsonSchema } from '@hinge/core';
import { useState } from 'react';
import { JsonRow } from '../fold/fields';
import { SamplesDialog } from './samples-dialog';
import { SchemaTree } from './schema-tree';

/** Types of the API: named schemas that requests and replies refer to. */
export function TypesTab({
  document: d,
  readOnly,
  onChange,
}: {
  document: FlowDocument;
  readOnly?: boolean;
  onChange: (d: FlowDocument) => void;
}) {
  const names = Object.keys(d.types ?? {});
  const [chosen, setChosen] = useState(names[0]);
  const [filter, setFilter] = useState('');
  const [fresh, setFresh] = useState('');
  const [asText, setAsText] = useState(false);
  const [samples, setSamples] = useState(false);
  const schema = chosen === undefined ? undefined : d.types?.[chosen];
  const put = (name: string, s: JsonSchema) => onChange({ ...d, types: { ...d.types, [name]: s } });
  const shown = names.filter((n) => n.toLowerCase().includes(filter.toLowerCase()));
  return (
    <div style={{ display: 'grid', gridTemplateColumns: '240px 1fr', gap: 18 }}>
      <div className="column">
        <TextField
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          placeholder="Find a type"
          slotProps={{ htmlInput: { 'aria-label': 'Find a type' } }}
        />
        <div className="frame" style={{ maxHeight: 460, overflow: 'auto' }}>
          {shown.slice(0, 300).map((n) => (
            <button
              key={n}
              className={`plain list-option ${n === chosen ? 'chosen' : ''}`}
              style={{ display: 'block', width: '100%' }}
              onClick={() => setChosen(n)}
            >
              {n}
            </button>
          ))}
          {!shown.length && (
            <div className="soft" style={{ padding: 12 }}>
              {names.length ? 'No type is called so.' : 'No types yet. They come with a draft, or are made here.'}
            </div>
          )}
        </div>
        {!readOnly && (
          <div className="row">
            <TextField
              value={fresh}
              onChange={(e) => setFresh(e.target.value)}
              placeholder="Name of a new type"
              slotProps={{ htmlInput: { 'aria-label': 'Name of a new type' } }}
            />
            <button
              className="plain spruce"
              onClick={() => {
                if (!/^[A-Za-z_][\w.-]*$/.test(fresh) || d.types?.[fresh]) return;
                put(fresh, { type: 'object', properties: {} });
                setChosen(fresh);
                setFresh('');
              }}
            >
              Add
            </button>
          </div>
        )}
      </div>
      {schema && chosen !== undefined && (
        <div className="column">
          <div className="row">
            <h2 className="grow">{chosen}</h2>
            {!readOnly && (
              <button className="plain spruce" onClick={() => setSamples(true)}>
                From samples …
              </button>
            )}
            <button className="plain soft" onClick={() => setAsText(!asText)}>
              {asText ? 'as a tree' : 'as text'}
            </button>
          </div>
          {asText ? (
            <JsonRow
              label="JSON Schema"
              lines={20}
              value={schema}
              readOnly={readOnly}
              onChange={(s) => s !== null && typeof s === 'object' && put(chosen, s)}
            />
          ) : (
            <SchemaTree schema={schema} types={names} readOnly={readOnly} onChange={(s) => put(chosen, s)} />
          )}
          <SamplesDialog
            open={samples}
            onClose={() => setSamples(false)}
            onUse={(s) => {
              setSamples(false);
              put(chosen, s);
            }}
          />
        </div>
      )}
    </div>
  );
}
