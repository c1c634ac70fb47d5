'use client';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { ChoiceRow } from '../fold/fields';
import { Moment } from '../shell/moment';
import type { CredentialRow } from './server';
import { useAct } from './use-act';

const KINDS = { key: 'key', secret: 'client secret' } as const;
const OVERLAPS = [
  ['stay', 'those before it stay live'],
  ['24', 'those before it end in 24 hours'],
  ['1', 'those before it end in an hour'],
  ['0', 'those before it end now'],
] as const;

interface Props {
  readonly app: string;
  readonly environments: readonly string[];
  readonly rows: readonly CredentialRow[];
  readonly readOnly: boolean;
}

/** Keys and client secrets. A fresh one is shown once; what is kept is its SHA-256 and its last letters. */
export function Credentials({ app, environments, rows, readOnly }: Props) {
  const { act, busy, told } = useAct();
  const [environment, setEnvironment] = useState(environments[0] ?? '');
  const [kind, setKind] = useState<'key' | 'secret'>('key');
  const [overlap, setOverlap] = useState<(typeof OVERLAPS)[number][0]>('stay');
  const [all, setAll] = useState(false);
  const [fresh, setFresh] = useState<{ kind: 'key' | 'secret'; environment: string; secret: string }>();
  const isLive = (r: CredentialRow) => r.revoked === undefined && (r.until === undefined || r.until > now());
  const shown = all ? rows : rows.filter(isLive);
  return (
    <>
      <h2>Keys and client secrets</h2>
      {fresh && (
        <div className="note" role="status">
          The new {KINDS[fresh.kind]} in {fresh.environment}, shown only now: <code>{fresh.secret}</code>{' '}
          <button className="plain spruce" onClick={() => void navigator.clipboard.writeText(fresh.secret)}>
            copy
          </button>
          {', '}
          <button className="plain soft" onClick={() => setFresh(undefined)}>
            done
          </button>
          {fresh.kind === 'secret' && (
            <div className="soft">
              A token for it: <code>curl -u {app}:… -d grant_type=client_credentials GATEWAY/oauth/token</code>
            </div>
          )}
        </div>
      )}
      <div className="frame">
        <table aria-label="Keys and client secrets">
          <thead>
            <tr>
              <th>What</th>
              <th>Environment</th>
              <th>Ends with</th>
              <th>Made</th>
              <th>State</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {shown.map((r) => (
              <tr key={r.id} style={{ opacity: isLive(r) ? 1 : 0.6 }}>
                <td>{KINDS[r.kind]}</td>
                <td>{r.environment}</td>
                <td className="mono">…{r.hint}</td>
                <td className="soft nowrap">
                  <Moment at={r.at} />, {r.by}
                </td>
                <td className="nowrap">
                  {r.revoked ? (
                    <span className="rust">
                      revoked <Moment at={r.revoked} />
                    </span>
                  ) : r.until ? (
                    <span className={isLive(r) ? 'brass' : 'soft'}>
                      {isLive(r) ? 'live until' : 'ended'} <Moment at={r.until} />
                    </span>
                  ) : (
                    <span className="spruce">live</span>
                  )}
                </td>
                <td style={{ width: 1 }}>
                  {!readOnly && isLive(r) && (
                    <button
                      className="plain rust"
                      disabled={busy}
                      aria-label={`Revoke the ${KINDS[r.kind]} in ${r.environment} that ends with ${r.hint}`}
                      onClick={() => void act('DELETE', `/api/callers/credentials/${r.id}`)}
                    >
                      Revoke
                    </button>
                  )}
                </td>
              </tr>
            ))}
            {!shown.length && (
              <tr>
                <td colSpan={6} className="soft">
                  None that is live.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {rows.some((r) => !isLive(r)) && (
        <button className="plain soft" aria-pressed={all} onClick={() => setAll(!all)}>
          {all ? 'only those that are live' : `also the ${rows.filter((r) => !isLive(r)).length} that have ended`}
        </button>
      )}
      {!readOnly && (
        <form
          className="row"
          onSubmit={(e) => {
            e.preventDefault();
            void act<{ secret: string }>('POST', `/api/callers/apps/${app}/credentials`, {
              environment,
              kind,
              ...(overlap !== 'stay' && { overlapHours: Number(overlap) }),
            }).then((made) => made && setFresh({ kind, environment, secret: made.secret }));
          }}
        >
          <ChoiceRow
            hideLabel
            label="What to make"
            width={130}
            value={kind}
            options={[
              ['key', 'key'],
              ['secret', 'client secret'],
            ]}
            onChange={setKind}
          />
          <ChoiceRow
            hideLabel
            label="For which environment"
            width={130}
            value={environment}
            options={environments.map((e): [string, string] => [e, e])}
            onChange={setEnvironment}
          />
          <ChoiceRow
            hideLabel
            label="What happens to those before it"
            width={230}
            value={overlap}
            options={OVERLAPS}
            onChange={setOverlap}
          />
          <Button type="submit" variant="outlined" disabled={busy || !environment}>
            Make it
          </Button>
          {told && (
            <span className="rust" role="alert">
              {told}
            </span>
          )}
        </form>
      )}
    </>
  );
}

const now = () => new Date().toISOString();
