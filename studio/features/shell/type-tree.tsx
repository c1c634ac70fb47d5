import type { TypeRow } from '@hinge/core';

/** A type as rows: name, what it is, whether it must be there, what the contract says about it. */
export function TypeTree({ rows, empty }: { rows: readonly TypeRow[]; empty: string }) {
  if (!rows.length)
    return (
      <div className="soft" style={{ padding: '2px 10px' }}>
        {empty}
      </div>
    );
  return (
    <div className="typetree" role="list">
      {rows.map((r) => (
        <div key={r.pointer} className="line" role="listitem" style={{ paddingLeft: 10 + r.depth * 16 }}>
          <span>{r.name}</span>
          <span className="words nowrap">
            {r.words}
            {r.nullable ? ' or null' : ''}
          </span>
          {r.required && <span className="brass words">needed</span>}
          <span className="doc" title={[r.rules, r.description].filter(Boolean).join('\n')}>
            {r.values ? r.values.join(', ') : [r.rules, r.description].filter(Boolean).join('; ')}
          </span>
        </div>
      ))}
    </div>
  );
}
