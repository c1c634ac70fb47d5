'use client';
import Button from '@mui/material/Button';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { ChoiceRow } from '../fold/fields';
import { Moment } from '../shell/moment';
import { CallsChart } from './calls-chart';
import { Credentials } from './credentials';
import { KnownBy } from './known';
import type { AppDetails } from './server';
import { SubscriptionActs } from './subscription-acts';
import { useAct } from './use-act';

interface Props extends AppDetails {
  readonly app: { readonly id: string; readonly name: string; readonly owner: string };
  readonly known: { readonly knows: number; readonly of: number };
  readonly role: string;
}

const STATE_LOOK = { approved: 'spruce', asked: 'brass', paused: 'rust', refused: 'rust', ended: 'soft' } as const;

/** One app: what it may call, with what it shows who it is, and what it called. */
export function AppPage({ app, known, role, offers, subscriptions, credentials, environments, hours }: Props) {
  const router = useRouter();
  const { act, busy, told } = useAct();
  const [sure, setSure] = useState(false);
  const mayChange = role !== 'auditor';
  return (
    <div className="sheet">
      <div className="title">
        <span className="soft">
          <Link href="/callers">{role === 'caller' ? 'Your apps' : 'Callers'}</Link> /
        </span>
        <h1>{app.name}</h1>
        <span className="soft">
          client id <code>{app.id}</code>, of {app.owner}
        </span>
        <span className="grow" />
        <KnownBy initial={known} />
      </div>
      {told && (
        <div className="told" role="alert">
          {told}
        </div>
      )}
      <h2>May call</h2>
      <div className="frame">
        <table aria-label="Subscriptions">
          <thead>
            <tr>
              <th>API</th>
              <th>Plan</th>
              <th>State</th>
              <th>Since</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {subscriptions.map((s) => (
              <tr key={s.id}>
                <td>{role === 'caller' ? s.apiName : <Link href={`/apis/${s.api}`}>{s.apiName}</Link>}</td>
                <td>
                  {s.planName}
                  {s.wanted !== undefined && <span className="brass">, asks for {s.wanted}</span>}
                </td>
                <td>
                  <span className={STATE_LOOK[s.state]}>{s.state}</span>
                  {s.reason && <span className="soft">: {s.reason}</span>}
                </td>
                <td className="soft nowrap">
                  <Moment at={s.at} />, {s.by}
                </td>
                <td style={{ width: 1 }}>
                  <SubscriptionActs row={s} role={role} />
                </td>
              </tr>
            ))}
            {!subscriptions.length && (
              <tr>
                <td colSpan={5} className="soft">
                  Nothing yet: it is refused with 403 until it subscribes to a plan.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {mayChange && <Subscribe app={app.id} offers={offers} role={role} />}
      <Credentials app={app.id} environments={environments} rows={credentials} readOnly={!mayChange} />
      <h2>Calls of the last 24 hours</h2>
      <CallsChart hours={hours} />
      {mayChange && (
        <div className="row">
          {sure ? (
            <>
              <span>Its keys, secrets, tokens and subscriptions end at once.</span>
              <Button
                variant="outlined"
                color="error"
                disabled={busy}
                onClick={() =>
                  void act('DELETE', `/api/callers/apps/${app.id}`).then(
                    (done) => done !== undefined && router.push('/callers'),
                  )
                }
              >
                Remove {app.name}
              </Button>
              <button className="plain soft" onClick={() => setSure(false)}>
                keep it
              </button>
            </>
          ) : (
            <button className="plain rust" onClick={() => setSure(true)}>
              Remove the app …
            </button>
          )}
        </div>
      )}
    </div>
  );
}

function Subscribe({ app, offers, role }: { app: string; offers: AppDetails['offers']; role: string }) {
  const { act, busy, told } = useAct();
  const [api, setApi] = useState(offers[0]?.slug ?? '');
  const [plan, setPlan] = useState(offers[0]?.plans[0]?.id ?? '');
  const offer = offers.find((o) => o.slug === api);
  const chosen = offer?.plans.find((p) => p.id === plan);
  if (!offers.length)
    return (
      <div className="soft">No API has plans yet. They are made at an API, under Plans, and released with it.</div>
    );
  const waits = chosen?.approval === true && role === 'caller';
  return (
    <form
      className="row"
      onSubmit={(e) => {
        e.preventDefault();
        void act('POST', `/api/callers/apps/${app}/subscriptions`, { api, plan });
      }}
    >
      <ChoiceRow
        hideLabel
        label="API to subscribe to"
        width={200}
        value={api}
        options={offers.map((o): [string, string] => [o.slug, o.name])}
        onChange={(a) => {
          setApi(a);
          setPlan(offers.find((o) => o.slug === a)?.plans[0]?.id ?? '');
        }}
      />
      <ChoiceRow
        hideLabel
        label="Plan to subscribe to"
        width={200}
        value={plan}
        options={(offer?.plans ?? []).map((p): [string, string] => [p.id, p.name])}
        onChange={setPlan}
      />
      <Button type="submit" variant="outlined" disabled={busy || !chosen}>
        {waits ? 'Ask for it' : 'Subscribe'}
      </Button>
      <span className="soft">{waits ? 'It waits for an approval.' : ''}</span>
      {told && (
        <span className="rust" role="alert">
          {told}
        </span>
      )}
    </form>
  );
}
