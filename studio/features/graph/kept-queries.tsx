'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import type { FlowDocument } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow } from '../fold/fields';

const NAME = /^[A-Za-z_][A-Za-z0-9_-]{0,99}$/;

interface Props {
  readonly document: FlowDocument;
  /** What stands in the editor now. */
  readonly query: string;
  /** It can be asked. */
  readonly valid: boolean;
  readonly readOnly?: boolean;
  readonly onOpen: (query: string) => void;
  readonly onChange: (document: FlowDocument) => void;
}

/** Queries that callers name by documentId, and whether any other is answered. */
export function KeptQueries({ document, query, valid, readOnly, onOpen, onChange }: Props) {
  const [name, setName] = useState('');
  const graph = document.graph ?? {};
  const kept = Object.entries(graph.queries ?? {});
  const put = (queries: Record<string, string>, onlyQueries = graph.onlyQueries) => {
    const { queries: _queries, onlyQueries: _only, ...rest } = graph;
    onChange({
      ...document,
      graph: {
        ...rest,
        ...(Object.keys(queries).length > 0 && { queries }),
        ...(onlyQueries && { onlyQueries }),
      },
    });
  };
  const taken = Object.hasOwn(graph.queries ?? {}, name);
  return (
    <section aria-label="Kept queries" className="column" style={{ gap: 6, minWidth: 0 }}>
      <div className="row" style={{ gap: 12 }}>
        <h3>Kept queries</h3>
        <span className="soft">callers name one by documentId; they are released with the API</span>
        <span className="grow" />
        <ChoiceRow
          label="Which queries are answered"
          hideLabel
          width={210}
          readOnly={readOnly}
          value={graph.onlyQueries ? 'kept' : 'all'}
          options={[
            ['all', 'any query is answered'],
            ['kept', 'only kept ones are answered'],
          ]}
          onChange={(which) => put(graph.queries ?? {}, which === 'kept')}
        />
      </div>
      {kept.map(([id, text]) => (
        <div key={id} className="row">
          <button className="plain link mono" onClick={() => onOpen(text)}>
            {id}
          </button>
          <span
            className="soft mono"
            style={{ flex: 1, minWidth: 0, overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' }}
          >
            {text.replace(/\s+/g, ' ').trim()}
          </span>
          {!readOnly && (
            <button
              className="plain rust"
              aria-label={`Remove the query ${id}`}
              onClick={() => put(Object.fromEntries(kept.filter(([k]) => k !== id)))}
            >
              Remove
            </button>
          )}
        </div>
      ))}
      {!readOnly && (
        <form
          className="row"
          onSubmit={(e) => {
            e.preventDefault();
            put({ ...graph.queries, [name]: query.trim() });
            setName('');
          }}
        >
          <TextField
            value={name}
            error={name !== '' && !NAME.test(name)}
            onChange={(e) => setName(e.target.value)}
            placeholder="a name, such as vessel"
            slotProps={{ htmlInput: { 'aria-label': 'Name of the kept query', className: 'mono' } }}
            sx={{ width: 220 }}
          />
          <Button type="submit" variant="outlined" disabled={!valid || !NAME.test(name)}>
            {taken ? 'Replace it by the query above' : 'Keep the query above'}
          </Button>
          {!valid && <span className="soft">the query above cannot be asked yet</span>}
        </form>
      )}
    </section>
  );
}
