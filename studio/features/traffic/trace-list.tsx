'use client';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Select from '@mui/material/Select';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useState } from 'react';
import { send } from '../../lib/client';
import { Moment } from '../shell/moment';
import type { TraceRow } from './server';

const PAGE = 100;

export function TraceList({ initial, apis }: { initial: TraceRow[]; apis: readonly { slug: string; name: string }[] }) {
  const [api, setApi] = useState('');
  const [status, setStatus] = useState('');
  const [text, setText] = useState('');
  const [before, setBefore] = useState<string[]>([]);
  const query = new URLSearchParams({ api, status, text, before: before.at(-1) ?? '' });
  const plain = !api && !status && !text && !before.length;
  const { data, error } = useQuery({
    queryKey: ['traces', query.toString()],
    queryFn: () => send<{ traces: TraceRow[] }>('GET', `/api/traces?${query}`).then((r) => r.traces),
    initialData: plain ? initial : undefined,
    refetchInterval: before.length ? false : 2000,
    placeholderData: (d) => d,
  });
  const rows = data ?? [];
  return (
    <div className="sheet">
      <div className="title">
        <h1>Traces</h1>
        <span className="soft">{before.length ? 'older ones' : 'newest first, as they come'}</span>
        <span className="grow" />
        <TextField
          placeholder="Path, operation or app"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setBefore([]);
          }}
          slotProps={{ htmlInput: { 'aria-label': 'Path, operation or app' } }}
          sx={{ width: 200 }}
        />
        <Select
          displayEmpty
          value={api}
          onChange={(e) => {
            setApi(e.target.value);
            setBefore([]);
          }}
          slotProps={{ input: { 'aria-label': 'API' } }}
        >
          <MenuItem value="">every API</MenuItem>
          {apis.map((a) => (
            <MenuItem key={a.slug} value={a.slug}>
              {a.name}
            </MenuItem>
          ))}
        </Select>
        <Select
          displayEmpty
          value={status}
          onChange={(e) => {
            setStatus(e.target.value);
            setBefore([]);
          }}
          slotProps={{ input: { 'aria-label': 'Status' } }}
        >
          <MenuItem value="">any status</MenuItem>
          <MenuItem value="2">2xx, done</MenuItem>
          <MenuItem value="4">4xx, refused</MenuItem>
          <MenuItem value="5">5xx, failed</MenuItem>
        </Select>
      </div>
      {error && <div className="told">{error.message}</div>}
      <div className="frame">
        <table aria-label="Traces">
          <thead>
            <tr>
              <th>When</th>
              <th>Request</th>
              <th>Operation</th>
              <th>App</th>
              <th>Status</th>
              <th style={{ textAlign: 'right' }}>Time</th>
              <th>Answered by</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((t) => (
              <tr key={t.id} className="link">
                <td className="nowrap soft">
                  <Moment at={t.at} />
                </td>
                <td style={{ maxWidth: 420 }} className="cut">
                  <Link href={`/traffic/${t.id}`} style={{ color: 'var(--ink)' }}>
                    <span className="method" style={{ display: 'inline-block', width: 56 }}>
                      {t.method}
                    </span>{' '}
                    <span className="mono">{t.url}</span>
                  </Link>
                </td>
                <td>{t.operation ?? <span className="soft">none</span>}</td>
                <td className="nowrap">{t.app === null ? <span className="soft">not known</span> : t.app}</td>
                <td className={`mono ${t.status >= 500 ? 'rust' : t.status >= 400 ? 'brass' : 'spruce'}`}>
                  {t.status}
                </td>
                <td className="mono" style={{ textAlign: 'right' }}>
                  {t.ms.toFixed(1)} ms
                </td>
                <td className="soft nowrap">
                  {t.api
                    ? `${t.api}${t.release === null ? '' : ` release ${t.release}`} in ${t.environment ?? 'no environment'}`
                    : 'no API'}
                </td>
              </tr>
            ))}
            {!rows.length && (
              <tr>
                <td colSpan={7}>
                  <div className="empty">
                    <strong>{plain ? 'No request yet' : 'No trace fits'}</strong>
                    {plain
                      ? 'Release an API and call it; every request appears here within a second.'
                      : 'Widen the filter.'}
                  </div>
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      <div className="row">
        {before.length > 0 && (
          <Button variant="outlined" onClick={() => setBefore(before.slice(0, -1))}>
            Newer
          </Button>
        )}
        {rows.length === PAGE && (
          <Button variant="outlined" onClick={() => setBefore([...before, rows.at(-1)!.at])}>
            Older
          </Button>
        )}
      </div>
    </div>
  );
}
