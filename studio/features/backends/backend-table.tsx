'use client';
import TextField from '@mui/material/TextField';
import Link from 'next/link';
import { useState } from 'react';

export interface BackendListRow {
  readonly name: string;
  readonly title: string;
  readonly contract: string | null;
  readonly addresses: Readonly<Record<string, string>>;
}

export function BackendTable({ rows }: { rows: readonly BackendListRow[] }) {
  const [filter, setFilter] = useState('');
  const shown = rows.filter((r) =>
    `${r.name} ${r.title} ${Object.values(r.addresses).join(' ')}`.toLowerCase().includes(filter.toLowerCase()),
  );
  if (!rows.length) {
    return (
      <div className="frame empty">
        <strong>No backend yet</strong>
        Bring in a WSDL or an OpenAPI document, or just an address, and draft an API from it.
      </div>
    );
  }
  return (
    <>
      <TextField
        value={filter}
        onChange={(e) => setFilter(e.target.value)}
        placeholder="Filter"
        slotProps={{ htmlInput: { 'aria-label': 'Filter backends' } }}
        sx={{ width: 260 }}
      />
      <div className="frame">
        <table>
          <thead>
            <tr>
              <th>Name</th>
              <th>Contract</th>
              <th>Addresses</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {shown.map((r) => (
              <tr key={r.name} className="link">
                <td>
                  <Link href={`/backends/${r.name}`}>{r.title}</Link> <span className="soft mono">{r.name}</span>
                </td>
                <td className="mono">{r.contract ?? <span className="soft">none</span>}</td>
                <td className="mono">
                  {Object.entries(r.addresses).map(([env, url]) => (
                    <div key={env}>
                      <span className="soft">{env}</span> {url}
                    </div>
                  ))}
                  {!Object.keys(r.addresses).length && <span className="rust">no address</span>}
                </td>
                <td>{r.contract && <Link href={`/backends/${r.name}/draft`}>Draft an API</Link>}</td>
              </tr>
            ))}
            {!shown.length && (
              <tr>
                <td colSpan={4} className="soft">
                  No backend has “{filter}” in its name or address.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </>
  );
}
