'use client';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { sha256, type FlowDocument } from '@hinge/core';
import { useState } from 'react';
import { ChoiceRow, JsonRow, RowMoves, TextRow } from '../fold/fields';
import Link from 'next/link';
import { GuardsEditor } from './guards-editor';
import { PlanHolders } from './plan-holders';
import { ListRow } from '../fold/list-row';

type Apps = NonNullable<FlowDocument['apps']>;
type Plans = NonNullable<FlowDocument['plans']>;

const slugOf = (t: string) =>
  t
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z_]+|-$/g, '');

/** Plans of this API, and apps that stand in its document. A key is shown once; what is kept is its SHA-256. */
export function PlansTab({
  slug,
  document: d,
  readOnly,
  onChange,
}: {
  slug: string;
  document: FlowDocument;
  readOnly?: boolean;
  onChange: (d: FlowDocument) => void;
}) {
  const apps: Apps = d.apps ?? {};
  const plans: Plans = d.plans ?? {};
  const [fresh, setFresh] = useState<{ app: string; key: string }>();
  const [name, setName] = useState('');
  const [plan, setPlan] = useState('');
  const putApps = (next: Apps) => onChange({ ...d, apps: Object.keys(next).length ? next : undefined });
  const putPlans = (next: Plans) => onChange({ ...d, plans: Object.keys(next).length ? next : undefined });
  const without = <T,>(record: Record<string, T>, key: string): Record<string, T> =>
    Object.fromEntries(Object.entries(record).filter(([k]) => k !== key));
  const newKey = async (id: string) => {
    const key = btoa(String.fromCharCode(...crypto.getRandomValues(new Uint8Array(24))))
      .replace(/\+/g, '-')
      .replace(/\//g, '_');
    const hash = await sha256(key);
    putApps({ ...apps, [id]: { ...apps[id]!, keys: [...apps[id]!.keys, hash] } });
    setFresh({ app: id, key });
  };
  const guarded = [...(d.guards ?? []), ...d.doors.flatMap((x) => x.guards ?? [])].some(
    (g) => g.kind === 'key' || g.kind === 'token',
  );
  return (
    <>
      <h2>Plans</h2>
      {Object.entries(plans).map(([id, p]) => (
        <div key={id} className="pin-line">
          <div className="row">
            <TextRow
              hideLabel
              width={220}
              label={`Name of plan ${id}`}
              value={p.name ?? id}
              readOnly={readOnly}
              onChange={(n) => putPlans({ ...plans, [id]: { ...p, name: n } })}
            />
            <PlanHolders slug={slug} plan={id} own={Object.values(apps).filter((a) => a.plan === id).length} />
            <RowMoves
              index={0}
              count={1}
              what={`plan ${id}`}
              readOnly={readOnly}
              onRemove={() => putPlans(without(plans, id))}
            />
          </div>
          <div className="row" style={{ gap: 18 }}>
            <label className="row" style={{ gap: 6 }}>
              <input
                type="checkbox"
                checked={p.approval ?? false}
                disabled={readOnly}
                onChange={(e) => putPlans({ ...plans, [id]: { ...p, approval: e.target.checked || undefined } })}
              />
              each subscription is approved by somebody
            </label>
            <ListRow
              label="Scopes that its tokens may have, with commas"
              mono
              blanks
              values={p.scopes}
              placeholder="none"
              readOnly={readOnly}
              onChange={(scopes) => putPlans({ ...plans, [id]: { ...p, scopes } })}
            />
          </div>
          <GuardsEditor
            label={`of the plan ${id}`}
            guards={p.guards ?? []}
            readOnly={readOnly}
            onChange={(guards) => putPlans({ ...plans, [id]: { ...p, guards } })}
          />
          <JsonRow
            label="Values that flows read as plan.values, JSON"
            value={p.values}
            readOnly={readOnly}
            onChange={(v) => putPlans({ ...plans, [id]: { ...p, values: v as Record<string, unknown> | undefined } })}
          />
        </div>
      ))}
      {!readOnly && (
        <form
          className="row"
          onSubmit={(e) => {
            e.preventDefault();
            const id = slugOf(plan);
            if (!id || plans[id]) return;
            putPlans({ ...plans, [id]: { name: plan.trim() } });
            setPlan('');
          }}
        >
          <TextField
            value={plan}
            onChange={(e) => setPlan(e.target.value)}
            placeholder="Quay"
            slotProps={{ htmlInput: { 'aria-label': 'Name of a new plan' } }}
            sx={{ width: 240 }}
          />
          <Button variant="outlined" type="submit" disabled={!slugOf(plan)}>
            Add a plan
          </Button>
        </form>
      )}
      <h2>Apps of this document</h2>
      {!guarded && (
        <div className="note">No door asks who calls yet: add the guard key or token at a door, or for all doors.</div>
      )}
      {fresh && (
        <div className="note" role="status">
          The new key of {apps[fresh.app]?.name ?? fresh.app}, shown only now: <code className="mono">{fresh.key}</code>{' '}
          <button className="plain spruce" onClick={() => void navigator.clipboard.writeText(fresh.key)}>
            copy
          </button>{' '}
          <button className="plain soft" onClick={() => setFresh(undefined)}>
            done
          </button>
        </div>
      )}
      <div className="frame">
        <table aria-label="Apps">
          <thead>
            <tr>
              <th>App</th>
              <th>Plan</th>
              <th>Live keys</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {Object.entries(apps).map(([id, app]) => (
              <tr key={id}>
                <td>
                  <TextRow
                    hideLabel
                    width={220}
                    label={`Name of ${id}`}
                    value={app.name ?? id}
                    readOnly={readOnly}
                    onChange={(n) => putApps({ ...apps, [id]: { ...app, name: n } })}
                  />
                </td>
                <td>
                  <ChoiceRow
                    hideLabel
                    width={160}
                    label={`Plan of ${id}`}
                    value={app.plan ?? ''}
                    options={[
                      ['', 'no plan'],
                      ...Object.entries(plans).map(([p, x]): [string, string] => [p, x.name ?? p]),
                    ]}
                    readOnly={readOnly}
                    onChange={(p) => putApps({ ...apps, [id]: { ...app, plan: p || undefined } })}
                  />
                </td>
                <td>
                  {app.keys.map((k, i) => (
                    <div key={k} className="row mono">
                      <span title="The beginning of its SHA-256">{k.slice(0, 10)}…</span>
                      {!readOnly && (
                        <button
                          className="plain rust"
                          aria-label={`Revoke key ${i + 1} of ${id}`}
                          onClick={() => putApps({ ...apps, [id]: { ...app, keys: app.keys.filter((x) => x !== k) } })}
                        >
                          revoke
                        </button>
                      )}
                    </div>
                  ))}
                  {!readOnly && (
                    <button className="plain spruce" onClick={() => void newKey(id)}>
                      New key
                    </button>
                  )}
                </td>
                <td>
                  <RowMoves
                    index={0}
                    count={1}
                    what={`app ${id}`}
                    readOnly={readOnly}
                    onRemove={() => putApps(without(apps, id))}
                  />
                </td>
              </tr>
            ))}
            {!Object.keys(apps).length && (
              <tr>
                <td colSpan={4} className="soft">
                  No app yet.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
      {!readOnly && (
        <form
          className="row"
          onSubmit={(e) => {
            e.preventDefault();
            const id = slugOf(name);
            if (!id || apps[id]) return;
            putApps({ ...apps, [id]: { name: name.trim(), keys: [] } });
            setName('');
          }}
        >
          <TextField
            value={name}
            onChange={(e) => setName(e.target.value)}
            placeholder="Kittiwake Agency"
            slotProps={{ htmlInput: { 'aria-label': 'Name of a new app' } }}
            sx={{ width: 240 }}
          />
          <Button variant="outlined" type="submit" disabled={!slugOf(name)}>
            Add an app
          </Button>
        </form>
      )}
      <div className="soft">
        Plans are released with the API, and so are the apps of this page, which no other API knows. Apps that subscribe
        to plans, with keys that are refused within two seconds of being revoked, are under{' '}
        <Link href="/callers">Callers</Link>.
      </div>
    </>
  );
}
