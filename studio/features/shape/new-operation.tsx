'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { idFor, newOperation, type FlowDocument, type OperationDocument } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow } from '../fold/fields';

const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'ANY'] as const;

/** An operation that answers at once: its flow is a mock until a backend is called. */
export function NewOperation({
  document,
  onAdd,
}: {
  document: FlowDocument;
  onAdd: (id: string, o: OperationDocument) => void;
}) {
  const [method, setMethod] = useState<(typeof METHODS)[number]>('GET');
  const [path, setPath] = useState('');
  const add = () => {
    if (!path.startsWith('/')) return;
    onAdd(
      idFor(method, path, (id) => document.operations[id] !== undefined),
      newOperation(method, path),
    );
    setPath('');
  };
  return (
    <form
      className="row"
      onSubmit={(e) => {
        e.preventDefault();
        add();
      }}
    >
      <ChoiceRow
        hideLabel
        label="Method of the new operation"
        width={110}
        value={method}
        options={METHODS.map((m) => [m, m === 'ANY' ? 'any' : m] as const)}
        onChange={setMethod}
      />
      <TextField
        value={path}
        onChange={(e) => setPath(e.target.value)}
        placeholder="/berths/{id}"
        slotProps={{ htmlInput: { className: 'mono', 'aria-label': 'Path of the new operation' } }}
        sx={{ width: 300 }}
      />
      <Button variant="outlined" type="submit" className="nowrap" disabled={!path.startsWith('/')}>
        Add an operation
      </Button>
      <span className="soft">It answers at once, from its examples or its schema.</span>
    </form>
  );
}
