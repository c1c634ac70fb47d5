'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { Moment } from '../shell/moment';
import { KnownBy } from './known';
import type { AppRow, SubscriptionRow } from './server';
import { SubscriptionActs } from './subscription-acts';
import { useAct } from './use-act';

interface Props {
  readonly apps: readonly AppRow[];
  readonly waiting: readonly SubscriptionRow[];
  readonly known: { readonly knows: number; readonly of: number };
  readonly role: string;
}

type Order = 'name' | 'calls' | 'refused';
const PAGE = 100;

/** All apps, what they may call, and who waits for a yes. */
export function Callers({ apps, waiting, known, role }: Props) {
  const router = useRouter();
  const { act, busy, told } = useAct();
  const [filter, setFilter] = useState('');
  const [order, setOrder] = useState<Order>('name');
  const [shownTo, setShownTo] = useState(PAGE);
  const [name, setName] = useState('');
  const wanted = filter.trim().toLowerCase();
  const shown = apps
    .filter((a) =>
      [a.name, a.owner, a.id, ...a.subscriptions.map((s) => s.apiName)].some((t) => t.toLowerCase().includes(wanted)),
    )
    .sort((a, b) => (order === 'name' ? a.name.localeCompare(b.name) : b[order] - a[order]));
  const sorted = (by: Order) => (order === by ? (by === 'name' ? 'ascending' : 'descending') : 'none');
  const own = role === 'caller';
  return (
    <div className="sheet">
      <div className="title">
        <h1>{own ? 'Your apps' : 'Callers'}</h1>
        <KnownBy initial={known} />
        <span className="grow" />
        <TextField
          placeholder="App, owner or API"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          slotProps={{ htmlInput: { 'aria-label': 'App, owner or API' } }}
          sx={{ width: 220 }}
        />
      </div>
      {waiting.length > 0 && (
        <>
          <h2>
            {waiting.length === 1 ? 'One subscription waits' : `${waiting.length} subscriptions wait`} for approval
          </h2>
          <div className="frame">
            <table aria-label="Waiting for approval">
              <tbody>
                {waiting.map((s) => (
                  <tr key={s.id}>
                    <td>
                      <Link href={`/callers/${s.app}`}>{s.appName}</Link>
                    </td>
                    <td>
                      {s.wanted === undefined ? (
                        <>
                          asks for <strong>{s.planName}</strong> of {s.apiName}
                        </>
                      ) : (
                        <>
                          asks for <strong>{s.wanted}</strong> of {s.apiName}, in place of {s.planName}
                        </>
                      )}
                    </td>
                    <td className="soft nowrap">
                      {s.by}, <Moment at={s.at} />
                    </td>
                    <td style={{ width: 1 }}>
                      <SubscriptionActs row={s} role={role} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
      <div className="frame">
        <table aria-label="Apps">
          <thead>
            <tr>
              <th aria-sort={sorted('name')}>
                <button className="plain" onClick={() => setOrder('name')}>
                  App
                </button>
              </th>
              {!own && <th>Owner</th>}
              <th>May call</th>
              <th>Keys and secrets</th>
              <th aria-sort={sorted('calls')} className="number">
                <button className="plain" onClick={() => setOrder('calls')}>
                  Calls, 24 h
                </button>
              </th>
              <th aria-sort={sorted('refused')} className="number">
                <button className="plain" onClick={() => setOrder('refused')}>
                  refused
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, shownTo).map((a) => (
              <tr key={a.id} className="link">
                <td>
                  <Link href={`/callers/${a.id}`}>{a.name}</Link>
                </td>
                {!own && <td className="soft">{a.owner}</td>}
                <td>
                  {a.subscriptions
                    .filter((s) => s.state !== 'ended')
                    .map((s) => (
                      <div key={s.id}>
                        {s.apiName}, {s.planName}
                        {s.state !== 'approved' && (
                          <span className={s.state === 'asked' ? 'brass' : 'rust'}> {s.state}</span>
                        )}
                      </div>
                    ))}
                  {!a.subscriptions.some((s) => s.state !== 'ended') && <span className="soft">nothing yet</span>}
                </td>
                <td className="soft">{a.live === 0 ? 'none' : `${a.live} live`}</td>
                <td className="number mono">{a.calls}</td>
                <td className={`number mono ${a.refused ? 'rust' : 'soft'}`}>{a.refused}</td>
              </tr>
            ))}
            {!shown.length && (
              <tr>
                <td colSpan={6}>
                  <div className="empty">
                    <strong>{apps.length ? 'No app is called so' : 'No app yet'}</strong>
                    An app stands for a program that calls. It subscribes to a plan of an API, and gets keys for it.
                  </div>
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {shown.length > shownTo && (
        <button className="plain spruce" onClick={() => setShownTo(shownTo + PAGE)}>
          {shown.length - shownTo} more
        </button>
      )}
      {role !== 'auditor' && (
        <form
          className="row"
          onSubmit={(e) => {
            e.preventDefault();
            void act<{ id: string }>('POST', '/api/callers/apps', { name }).then(
              (made) => made && router.push(`/callers/${made.id}`),
            );
          }}
        >
          <TextField
            value={name}
            onChange={(e) => setName(e.target.value)}
            placeholder="Kittiwake Agency"
            slotProps={{ htmlInput: { 'aria-label': 'Name of a new app', maxLength: 100 } }}
            sx={{ width: 260 }}
          />
          <Button variant="outlined" type="submit" disabled={busy || !/[a-z]/i.test(name)}>
            Add an app
          </Button>
          {told && (
            <span className="rust" role="alert">
              {told}
            </span>
          )}
        </form>
      )}
    </div>
  );
}
