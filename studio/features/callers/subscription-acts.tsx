'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Act, SubscriptionRow } from './server';
import { useAct } from './use-act';

const STAFF: Readonly<Record<SubscriptionRow['state'], readonly (readonly [Act, string])[]>> = {
  asked: [
    ['approve', 'Approve'],
    ['refuse', 'Refuse …'],
  ],
  approved: [
    ['pause', 'Pause …'],
    ['end', 'End'],
  ],
  paused: [
    ['resume', 'Resume'],
    ['end', 'End'],
  ],
  refused: [['approve', 'Approve after all']],
  ended: [],
};
const WITH_REASON: readonly Act[] = ['refuse', 'pause'];

/** What may be done with a subscription by this person; refusing and pausing ask for the reason first. */
export function SubscriptionActs({ row, role }: { row: SubscriptionRow; role: string }) {
  const { act, busy, told } = useAct();
  const [asking, setAsking] = useState<Act>();
  const [reason, setReason] = useState('');
  const staff = role === 'designer' || role === 'operator';
  const waits = row.state === 'asked' || row.wanted !== undefined;
  const offered: readonly (readonly [Act, string])[] = staff
    ? waits
      ? STAFF.asked
      : STAFF[row.state]
    : role === 'caller' && row.state !== 'ended'
      ? [['end', 'End']]
      : [];
  const go = async (what: Act) => {
    if (WITH_REASON.includes(what) && asking !== what) {
      setAsking(what);
      return;
    }
    if ((await act('POST', `/api/callers/subscriptions/${row.id}`, { act: what, reason })) !== undefined) {
      setAsking(undefined);
      setReason('');
    }
  };
  if (asking)
    return (
      <form
        className="row"
        onSubmit={(e) => {
          e.preventDefault();
          void go(asking);
        }}
      >
        <TextField
          autoFocus
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder="Why? The caller is told."
          slotProps={{ htmlInput: { 'aria-label': `Why ${asking} ${row.appName} at ${row.apiName}` } }}
          sx={{ width: 230 }}
        />
        <Button type="submit" variant="outlined" className="nowrap" disabled={busy || !reason.trim()}>
          {asking === 'refuse' ? 'Refuse' : 'Pause'}
        </Button>
        <button type="button" className="plain soft" onClick={() => setAsking(undefined)}>
          cancel
        </button>
        {told && <span className="rust">{told}</span>}
      </form>
    );
  return (
    <span className="row" style={{ gap: 14 }}>
      {offered.map(([what, label]) => (
        <button
          key={what}
          className={`plain nowrap ${what === 'approve' || what === 'resume' ? 'spruce' : 'rust'}`}
          disabled={busy}
          aria-label={`${label.replace(' …', '')} ${row.appName} at ${row.apiName}`}
          onClick={() => void go(what)}
        >
          {label}
        </button>
      ))}
      {told && <span className="rust">{told}</span>}
    </span>
  );
}
