'use client';
import type { Finding, FlowDocument } from '@hinge/core';
import TextField from '@mui/material/TextField';
import Link from 'next/link';
import { useState } from 'react';

interface Props {
  readonly slug: string;
  readonly document: FlowDocument;
  readonly findings: readonly Finding[];
  /** Opens what callers see of an operation. */
  readonly onShape: (id: string) => void;
}

/** Operations of an API, each a door to its flow; findings that belong to no operation stand above. */
export function ApiOperations({ slug, document, findings, onShape }: Props) {
  const [filter, setFilter] = useState('');
  const [shownCount, setShown] = useState(200);
  const of = (id: string) =>
    findings.filter(
      (f) => f.place.pointer === `/operations/${id}` || f.place.pointer?.startsWith(`/operations/${id}/`),
    );
  const general = findings.filter((f) => !f.place.pointer?.startsWith('/operations/'));
  const all = Object.entries(document.operations).filter(([id, o]) =>
    `${id} ${o.method} ${o.path} ${o.summary ?? ''}`.toLowerCase().includes(filter.toLowerCase()),
  );
  return (
    <>
      {general.map((f, i) => (
        <div key={i} className={f.severity === 'error' ? 'told' : 'note'}>
          <strong>{f.message}.</strong> {f.remedy} <code className="soft">{f.code}</code>{' '}
          {f.place.pointer?.startsWith('/backends/') && (
            <Link href={`/backends/${f.place.pointer.split('/')[2]}`}>Open the backend</Link>
          )}
        </div>
      ))}
      <div className="row">
        <TextField
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          placeholder="Find an operation"
          slotProps={{ htmlInput: { 'aria-label': 'Find an operation' } }}
          sx={{ width: 260 }}
        />
      </div>
      <div className="frame">
        <table aria-label="Operations">
          <thead>
            <tr>
              <th>Method and path</th>
              <th>Name</th>
              <th>What it does</th>
              <th>Reply</th>
              <th>Cases</th>
              <th>Findings</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {all.slice(0, shownCount).map(([id, o]) => {
              const own = of(id);
              return (
                <tr key={id} className="link">
                  <td className="nowrap">
                    <Link href={`/apis/${slug}/${id}`} style={{ color: 'var(--ink)' }}>
                      <span className="method" style={{ display: 'inline-block', width: 56 }}>
                        {o.method}
                      </span>{' '}
                      <span className="mono">{o.path}</span>
                    </Link>
                  </td>
                  <td>
                    <Link href={`/apis/${slug}/${id}`}>{id}</Link>
                  </td>
                  <td className="soft">
                    {o.internal ? 'internal: ' : ''}
                    {o.summary}
                  </td>
                  <td className="mono">{o.reply?.status}</td>
                  <td className="soft">{document.cases?.filter((c) => c.operation === id).length ?? 0}</td>
                  <td>
                    {own.length ? (
                      <span
                        className={own.some((f) => f.severity === 'error') ? 'rust' : 'brass'}
                        title={own.map((f) => f.message).join('\n')}
                      >
                        {own.length}
                      </span>
                    ) : (
                      <span className="soft">none</span>
                    )}
                  </td>
                  <td className="nowrap">
                    <button className="plain spruce" onClick={() => onShape(id)} aria-label={`Shape ${id}`}>
                      shape
                    </button>
                  </td>
                </tr>
              );
            })}
            {!all.length && (
              <tr>
                <td colSpan={7} className="soft">
                  {filter ? `No operation fits “${filter}”.` : 'No operation yet. Add the first one below.'}
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {all.length > shownCount && (
        <button className="plain spruce" onClick={() => setShown(shownCount + 200)}>
          Show {Math.min(200, all.length - shownCount)} more
        </button>
      )}
    </>
  );
}
