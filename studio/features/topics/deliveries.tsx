'use client';
import type { WebhookDelivery } from '@hinge/core';
import { useState } from 'react';
import { useAct } from '../callers/use-act';
import { ChoiceRow } from '../fold/fields';
import type { At, News } from './use-news';

const WORDS: Record<WebhookDelivery['state'], string> = {
  waiting: 'on its way',
  delivered: 'delivered',
  dead: 'laid aside',
  ended: 'ended',
};
const INK: Record<WebhookDelivery['state'], string> = {
  waiting: 'brass',
  delivered: 'spruce',
  dead: 'rust',
  ended: 'soft',
};

/** Who is called back for a topic, and each delivery with its tries, as the gateways of an environment say. */
export function Deliveries({
  slug,
  topic,
  news: { told, away, look },
  readOnly,
}: {
  slug: string;
  topic: string;
  news: News;
  readOnly: boolean;
}) {
  const [state, setState] = useState<WebhookDelivery['state'] | ''>('');
  const [open, setOpen] = useState<string>();
  const { act, told: refused } = useAct();
  const subscriptions = told?.subscriptions.filter((s) => s.topic === topic) ?? [];
  const all = told?.deliveries.filter((d) => d.topic === topic) ?? [];
  const shown = all.filter((d) => !state || d.state === state);
  const count = (s: WebhookDelivery['state']) => all.filter((d) => d.state === s).length;
  const resend = async (d: At<WebhookDelivery>) => {
    await act('POST', `/api/apis/${slug}/webhooks`, { gateway: d.gateway, delivery: d.id });
    await look();
  };
  return (
    <section className="deliveries" aria-label="Called back">
      <div className="row">
        <h3 className="grow">
          Called back{' '}
          <span className="soft">
            {subscriptions.length
              ? `${subscriptions.length} ${subscriptions.length === 1 ? 'subscriber' : 'subscribers'}`
              : ''}
          </span>
        </h3>
        <ChoiceRow
          hideLabel
          label="State of deliveries"
          width={190}
          value={state}
          options={[
            ['', `all ${all.length} deliveries`],
            ['waiting', `on their way: ${count('waiting')}`],
            ['delivered', `delivered: ${count('delivered')}`],
            ['dead', `laid aside: ${count('dead')}`],
          ]}
          onChange={(v) => setState(v as typeof state)}
        />
      </div>
      {refused && (
        <div className="told" role="alert">
          {refused}
        </div>
      )}
      {subscriptions.length > 0 && (
        <ul className="frame subscribers" aria-label="Subscribers">
          {subscriptions.map((s) => (
            <li key={`${s.gateway} ${s.callback} ${s.values}`}>
              <span className="mono cut grow">
                {s.callback}
                {s.values !== undefined && <span className="soft"> gets {s.values || 'all of them'}</span>}
              </span>
              <span className="soft nowrap">{s.app ?? 'no app'}</span>
              <span className="soft nowrap">{s.signed ? 'signed' : 'not signed'}</span>
              <span className="soft nowrap">until {new Date(s.until).toLocaleString('en-GB', SHORT)}</span>
              <span className="soft nowrap">{s.gateway}</span>
            </li>
          ))}
        </ul>
      )}
      <ol className="frame heard" aria-label="Deliveries">
        {shown.slice(0, MOST_SHOWN).map((d) => {
          const last = d.attempts.at(-1);
          return (
            <li key={d.id}>
              <div className="row tight">
                <button
                  className="plain heard-row"
                  aria-expanded={open === d.id}
                  onClick={() => setOpen(open === d.id ? undefined : d.id)}
                >
                  <span className="soft mono">{last ? new Date(last.at).toLocaleTimeString('en-GB') : 'not yet'}</span>
                  <span className={`nowrap ${INK[d.state]}`}>{WORDS[d.state]}</span>
                  <span className="mono nowrap">{last?.status ?? (last ? 'no answer' : '')}</span>
                  <span className="soft nowrap">
                    {d.attempts.length} {d.attempts.length === 1 ? 'try' : 'tries'}
                  </span>
                  {d.values && <span className="mono nowrap">{d.values}</span>}
                  <span className="mono cut grow soft">{d.callback}</span>
                </button>
                {d.state === 'dead' && !readOnly && (
                  <button className="plain spruce nowrap" onClick={() => void resend(d)}>
                    send again
                  </button>
                )}
              </div>
              {open === d.id && (
                <div className="tries">
                  <table>
                    <tbody>
                      {d.attempts.map((a, n) => (
                        <tr key={n}>
                          <td className="soft">try {n + 1}</td>
                          <td className="mono">{new Date(a.at).toLocaleTimeString('en-GB')}</td>
                          <td className="mono">{a.status ?? a.failure}</td>
                          <td className="soft">{Math.round(a.ms)} ms</td>
                        </tr>
                      ))}
                    </tbody>
                  </table>
                  <p className="soft">
                    event <span className="mono">{d.event}</span>
                  </p>
                  <pre className="mono">{d.data}</pre>
                </div>
              )}
            </li>
          );
        })}
        {!shown.length && (
          <li className="soft empty-line">
            {!told && !away
              ? 'Asking the gateways …'
              : all.length
                ? 'No delivery is in this state.'
                : subscriptions.length
                  ? 'Nothing was delivered since the gateways began.'
                  : 'Nobody is called back for this topic. Subscribers ask at /hub below the door (W3C WebSub).'}
          </li>
        )}
      </ol>
      {shown.length > MOST_SHOWN && (
        <p className="soft">
          The newest {MOST_SHOWN} of {shown.length} are shown.
        </p>
      )}
    </section>
  );
}

const MOST_SHOWN = 100;
const SHORT = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' } as const;
