'use client';
import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import TextField from '@mui/material/TextField';
import { useMemo, useState, type ReactNode } from 'react';
import { LongList } from '../shell/long-list';
import { TypeTree } from '../shell/type-tree';
import type { ContractView, FieldView, OperationView, TypeView } from './view';

interface Props {
  readonly contract: ContractView;
  readonly aside?: (operation: OperationView) => ReactNode;
}

/** A contract to read: operations or types at the left, found by any word in them; the chosen one at the right. */
export function ContractReader({ contract, aside }: Props) {
  const [shown, setShown] = useState<'operations' | 'types'>('operations');
  const [operationId, setOperation] = useState(contract.operations[0]?.id ?? '');
  const [typeName, setType] = useState(contract.types[0]?.name ?? '');
  const [filters, setFilters] = useState({ operations: '', types: '' });
  const filter = filters[shown];
  const setFilter = (text: string) => setFilters({ ...filters, [shown]: text });
  const wanted = filter.trim().toLowerCase();
  const operations = useMemo(
    () =>
      contract.operations.filter((o) =>
        [o.id, o.protocol, o.documentation].some((t) => t?.toLowerCase().includes(wanted)),
      ),
    [contract, wanted],
  );
  const types = useMemo(
    () =>
      contract.types.filter(
        (t) => t.name.toLowerCase().includes(wanted) || t.rows.some((r) => r.name.toLowerCase() === wanted),
      ),
    [contract, wanted],
  );
  const operation = contract.operations.find((o) => o.id === operationId);
  const type = contract.types.find((t) => t.name === typeName);
  const http = contract.operations.some((o) => /^[A-Z]+ \//.test(o.protocol));
  const openOperation = (id: string) => {
    setShown('operations');
    setFilters({ ...filters, operations: '' });
    setOperation(id);
  };
  return (
    <div className="frame" style={{ display: 'grid', gridTemplateColumns: '270px minmax(0, 1fr)', height: 640 }}>
      <div style={{ borderRight: '1px solid var(--hairline)', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
        <Tabs
          value={shown}
          onChange={(_e, v: 'operations' | 'types') => setShown(v)}
          aria-label="What to list"
          sx={{
            borderBottom: '1px solid var(--hairline)',
            minHeight: 34,
            '& .MuiTab-root': { fontSize: 13, minHeight: 34, padding: '6px 12px' },
          }}
        >
          <Tab value="operations" label={`Operations ${contract.operations.length}`} />
          <Tab value="types" label={`Types ${contract.types.length}`} />
        </Tabs>
        <div style={{ padding: 8, borderBottom: '1px solid var(--hairline)' }}>
          <TextField
            fullWidth
            placeholder={shown === 'operations' ? 'Find by name, path or text' : 'Find by name, or a field in it'}
            value={filter}
            onChange={(e) => setFilter(e.target.value)}
            slotProps={{ htmlInput: { 'aria-label': shown === 'operations' ? 'Find an operation' : 'Find a type' } }}
          />
        </div>
        {shown === 'operations' ? (
          <LongList
            label="Operations"
            items={operations}
            rowHeight={http ? 46 : 28}
            empty="No operation has this in its name, path or text."
            keyOf={(o) => o.id}
            chosen={operationId}
            onChoose={(o) => setOperation(o.id)}
            row={(o) => (
              <>
                <span className={o.unusable ? 'soft' : undefined}>{o.id}</span>
                {o.unusable && <span className="rust"> cannot be called</span>}
                {http && (
                  <div className="soft mono ellipsis" style={{ fontWeight: 400 }}>
                    {o.protocol}
                  </div>
                )}
              </>
            )}
          />
        ) : (
          <LongList
            label="Types"
            items={types}
            rowHeight={28}
            empty="No type has this name, and none has a field of it."
            keyOf={(t) => t.name}
            chosen={typeName}
            onChoose={(t) => setType(t.name)}
            row={(t) => t.name}
          />
        )}
      </div>
      {shown === 'operations'
        ? operation && <OperationSheet operation={operation} aside={aside} />
        : type && <TypeSheet type={type} onOperation={openOperation} />}
    </div>
  );
}

function TypeSheet({ type, onOperation }: { type: TypeView; onOperation: (id: string) => void }) {
  return (
    <div style={{ padding: '12px 16px', overflow: 'auto' }} className="column">
      <div>
        <h2>{type.name}</h2>
        <div className="soft">
          {type.description}
          {type.place && <div className="mono">{type.place}</div>}
        </div>
      </div>
      <TypeTree rows={type.rows} empty="one simple value" />
      <section>
        <h3>Used by {type.usedBy.length === 1 ? 'one operation' : `${type.usedBy.length} operations`}</h3>
        <div style={{ display: 'flex', flexWrap: 'wrap', gap: '2px 12px' }}>
          {type.usedBy.slice(0, 60).map((id) => (
            <button key={id} className="plain link" onClick={() => onOperation(id)}>
              {id}
            </button>
          ))}
          {type.usedBy.length > 60 && <span className="soft">and {type.usedBy.length - 60} more</span>}
        </div>
      </section>
    </div>
  );
}

function OperationSheet({ operation, aside }: { operation: OperationView; aside?: Props['aside'] }) {
  return (
    <div style={{ padding: '12px 16px', overflow: 'auto' }} className="column">
      <div>
        <h2>{operation.id}</h2>
        <div className="soft">
          <span className="mono">{operation.protocol}</span>
          {operation.documentation ? `. ${operation.documentation}` : ''}
        </div>
        {operation.place && <div className="soft mono">{operation.place}</div>}
      </div>
      {operation.unusable && <div className="told">This operation cannot be called: {operation.unusable}.</div>}
      <div style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 1fr)', gap: 18 }}>
        <section>
          <h3>Request</h3>
          <Fields fields={operation.headers} />
          {operation.otherBodies.length > 0 && <div className="soft mono">{operation.mediaType}</div>}
          <TypeTree rows={operation.request} empty="nothing in the body" />
          {operation.otherBodies.map((b) => (
            <div key={b.mediaType} style={{ marginTop: 6 }}>
              <span className="soft">or</span> <span className="soft mono">{b.mediaType}</span>
              <TypeTree rows={b.rows} empty="as it is" />
            </div>
          ))}
        </section>
        <section>
          <h3>Reply</h3>
          <Fields fields={operation.replyFields} />
          {operation.reply ? (
            <TypeTree rows={operation.reply} empty="an empty body" />
          ) : (
            <div className="soft">none: one-way</div>
          )}
        </section>
      </div>
      {operation.faults.length > 0 && (
        <section>
          <h3>{/^\d/.test(operation.faults[0]!.name) ? 'Other replies' : 'Faults'}</h3>
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
  );
}

/** Parameters of a request, header fields of a reply. */
function Fields({ fields }: { readonly fields: readonly FieldView[] }) {
  if (!fields.length) return null;
  return (
    <div className="typetree">
      {fields.map((h) => (
        <div className="line" key={`${h.words} ${h.name}`}>
          <span>{h.name}</span>
          <span className="words">{h.words}</span>
          {h.required && <span className="brass words">needed</span>}
          <span className="doc" title={[h.rules, h.documentation].filter(Boolean).join('\n')}>
            {[h.rules, h.documentation].filter(Boolean).join('; ')}
          </span>
        </div>
      ))}
    </div>
  );
}
