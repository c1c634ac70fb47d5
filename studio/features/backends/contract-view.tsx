'use client';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { TypeTree } from '../shell/type-tree';
import type { ContractView, OperationView } from './server';

/** A contract to read: operations at the left, the chosen one's messages as typed trees at the right. */
export function ContractReader({
  contract,
  aside,
}: {
  contract: ContractView;
  aside?: (operation: OperationView) => ReactNode;
}) {
  const [chosen, setChosen] = useState(contract.operations[0]?.id ?? '');
  const [filter, setFilter] = useState('');
  const operation = contract.operations.find((o) => o.id === chosen);
  const shown = contract.operations.filter((o) => o.id.toLowerCase().includes(filter.toLowerCase()));
  return (
    <div className="frame" style={{ display: 'grid', gridTemplateColumns: '230px minmax(0, 1fr)', minHeight: 420 }}>
      <div
        style={{ borderRight: '1px solid var(--hairline)', display: 'flex', flexDirection: 'column', maxHeight: 640 }}
      >
        <div style={{ padding: 8, borderBottom: '1px solid var(--hairline)' }}>
          <TextField
            fullWidth
            placeholder={`Find among ${contract.operations.length} operations`}
            value={filter}
            onChange={(e) => setFilter(e.target.value)}
            slotProps={{ htmlInput: { 'aria-label': 'Find an operation' } }}
          />
        </div>
        <div style={{ overflow: 'auto' }} role="listbox" aria-label="Operations">
          {shown.map((o) => (
            <button
              key={o.id}
              role="option"
              aria-selected={o.id === chosen}
              className="plain"
              onClick={() => setChosen(o.id)}
              style={{
                display: 'block',
                width: '100%',
                padding: '4px 12px',
                background: o.id === chosen ? 'var(--spruce-wash)' : undefined,
                fontWeight: o.id === chosen ? 600 : 400,
              }}
            >
              <span className={o.unusable ? 'soft' : undefined}>{o.id}</span>
              {o.unusable && <span className="rust"> cannot be called</span>}
            </button>
          ))}
        </div>
      </div>
      {operation && (
        <div style={{ padding: '12px 16px', overflow: 'auto', maxHeight: 640 }} className="column">
          <div>
            <h2>{operation.id}</h2>
            <div className="soft">
              {operation.protocol}
              {operation.documentation ? `. ${operation.documentation}` : ''}
            </div>
          </div>
          {operation.unusable && <div className="told">This operation cannot be called: {operation.unusable}.</div>}
          <div style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 1fr)', gap: 18 }}>
            <section>
              <h3>Request</h3>
              {operation.headers.length > 0 && (
                <div className="typetree">
                  {operation.headers.map((h) => (
                    <div className="line" key={h.name}>
                      <span>{h.name}</span>
                      <span className="words">{h.words}</span>
                      <span className="brass words">header, needed</span>
                    </div>
                  ))}
                </div>
              )}
              <TypeTree rows={operation.request} empty="nothing in the body" />
            </section>
            <section>
              <h3>Reply</h3>
              {operation.reply ? (
                <TypeTree rows={operation.reply} empty="an empty body" />
              ) : (
                <div className="soft">none: one-way</div>
              )}
            </section>
          </div>
          {operation.faults.length > 0 && (
            <section>
              <h3>Faults</h3>
              {operation.faults.map((f) => (
                <div key={f.name} style={{ marginTop: 6 }}>
                  <span className="rust mono">{f.name}</span> <span className="soft">{f.documentation}</span>
                  <TypeTree rows={f.rows} empty="no detail" />
                </div>
              ))}
            </section>
          )}
          {aside?.(operation)}
        </div>
      )}
    </div>
  );
}
