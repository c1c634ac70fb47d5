'use client';
import TextField from '@mui/material/TextField';
import Link from 'next/link';
import { useState } from 'react';
import type { ApiSummary } from './server';

export function ApiTable({ rows, backends }: { rows: readonly ApiSummary[]; backends: number }) {
  const [filter, setFilter] = useState('');
  if (!rows.length) {
    return (
      <div className="frame empty">
        <strong>No API yet</strong>
        {backends ? (
          <>
            Open a <Link href="/backends">backend</Link> and draft an API from its contract.
          </>
        ) : (
          <>
            <Link href="/backends/new">Bring in a backend</Link> first; an API is drafted from its contract.
          </>
        )}
      </div>
    );
  }
  const shown = rows.filter((r) => `${r.name} ${r.base}`.toLowerCase().includes(filter.toLowerCase()));
  return (
    <>
      {rows.length > 8 && (
        <TextField
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          placeholder="Filter"
          slotProps={{ htmlInput: { 'aria-label': 'Filter APIs' } }}
          sx={{ width: 260 }}
        />
      )}
      <div className="frame">
        <table>
          <thead>
            <tr>
              <th>Name</th>
              <th>Base path</th>
              <th>Operations</th>
              <th>Draft</th>
              <th>Running</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((r) => (
              <tr key={r.slug} className="link">
                <td>
                  <Link href={`/apis/${r.slug}`}>{r.name}</Link>
                </td>
                <td className="mono">{r.base}</td>
                <td>{r.operations}</td>
                <td className="soft">{r.revision}</td>
                <td>
                  {r.releases.length ? (
                    r.releases.map((x) => `release ${x.number} in ${x.environment}`).join(', ')
                  ) : (
                    <span className="soft">not released</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
