'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { HeardBar, HeardList, useListener } from '../topics/heard';

interface Props {
  readonly slug: string;
  readonly environment: string;
  readonly query: string;
  /** As they were typed. */
  readonly variables: string;
}

/** What a subscription gives, as it comes: from the release that runs, for a draft has no stream. */
export function Subscription({ slug, environment, query, variables }: Props) {
  const [key, setKey] = useState('');
  const given = objectOf(variables);
  const l = useListener(
    `/api/apis/${slug}/subscription`,
    key,
    JSON.stringify({ in: environment, query, ...(given && { variables: given }) }),
  );
  return (
    <div className="column graph-heard">
      <div className="row">
        <TextField
          value={key}
          type="password"
          autoComplete="off"
          onChange={(e) => setKey(e.target.value)}
          placeholder="key of an app, where one is asked for"
          slotProps={{ htmlInput: { 'aria-label': 'Key of an app' } }}
          sx={{ flex: 1 }}
        />
        {l.state === 'off' ? (
          <Button variant="contained" disabled={!given} onClick={() => void l.start()}>
            Listen
          </Button>
        ) : (
          <Button variant="outlined" onClick={l.stop}>
            Stop
          </Button>
        )}
      </div>
      {!given && <div className="rust">The variables are no JSON object.</div>}
      <HeardBar l={l} />
      {l.told && (
        <div className="told" role="alert">
          {l.told}
        </div>
      )}
      <HeardList l={l} />
    </div>
  );
}

function objectOf(text: string): Record<string, unknown> | undefined {
  try {
    const v: unknown = JSON.parse(text || '{}');
    return v !== null && typeof v === 'object' && !Array.isArray(v) ? (v as Record<string, unknown>) : undefined;
  } catch {
    return undefined;
  }
}
