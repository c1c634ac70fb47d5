import { describe, expect, jest, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { Client } from 'pg';
import { callersFor, takeRevoked } from '../features/callers/config';
import { makeCredential, revokeCredential } from '../features/callers/credentials-server';
import { signingOf } from '../features/callers/keys';
import {
  appDetails,
  appFor,
  decide,
  holdersOf,
  knownBy,
  listApps,
  listOffers,
  makeApp,
  removeApp,
  subscribe,
  waiting,
} from '../features/callers/server';
import { configFor, takeReport } from '../features/gateways/server';
import type { Told } from '../lib/route';
import type { SignedIn } from '../lib/session';
import { withDatabase } from './base';

jest.setTimeout(60_000);
let url: string;
withDatabase((u) => (url = u));

const person = (role: SignedIn['role'], email = `${role}@tarnhaven.example`): SignedIn => ({
  id: role,
  name: role,
  email,
  role,
});
const dunlin = person('caller', 'dunlin@agents.example');
const operator = person('operator');
const auditor = person('auditor');
const sha = (text: string) => createHash('sha256').update(text).digest('hex');
const refused = async (what: Promise<unknown>): Promise<[number, string]> =>
  what.then(
    () => [200, 'nothing was refused'],
    (e: Told) => [e.status, e.message],
  );
const known = async (id: string, environment = 'sandbox') =>
  (await callersFor(environment)).apps.find((a) => a.id === id);
const sql = async (text: string, values: unknown[] = []) => {
  const c = new Client({ connectionString: url });
  await c.connect();
  const r = await c.query(text, values);
  await c.end();
  return r.rows as Record<string, unknown>[];
};

describe('who may see and do what (OWASP API1, API5:2023)', () => {
  test('a caller sees the own apps; staff and auditors see all', async () => {
    expect((await listApps(dunlin)).map((a) => a.id)).toEqual(['dunlin']);
    expect((await listApps(auditor)).map((a) => a.id)).toEqual(['dunlin', 'kittiwake', 'sandpiper']);
    expect(await appFor(dunlin, 'kittiwake')).toBeUndefined();
    expect((await appFor(auditor, 'kittiwake'))?.name).toBe('Kittiwake Agency');
  });

  test('what is another’s is not there: no key, no subscription, no removal', async () => {
    expect((await refused(makeCredential(dunlin, 'kittiwake', 'sandbox', 'key', undefined)))[0]).toBe(404);
    expect((await refused(subscribe(dunlin, 'kittiwake', 'tides', 'quay')))[0]).toBe(404);
    expect((await refused(removeApp(dunlin, 'kittiwake')))[0]).toBe(404);
    const other = (await waiting())[0]!;
    expect((await refused(decide(dunlin, other.id, 'end', '')))[0]).toBe(404);
    const { secret: _s } = await makeCredential(operator, 'kittiwake', 'sandbox', 'key', undefined);
    const theirs = (await appDetails(operator, 'kittiwake')).credentials[0]!;
    expect((await refused(revokeCredential(dunlin, theirs.id)))[0]).toBe(404);
    expect((await known('kittiwake'))?.keys).toHaveLength(1);
  });

  test('a caller approves nothing, an auditor changes nothing', async () => {
    const own = (await appDetails(operator, 'dunlin')).subscriptions[0]!;
    for (const act of ['approve', 'pause', 'resume', 'refuse'] as const)
      expect((await refused(decide(dunlin, own.id, act, 'so')))[0]).toBe(403);
    expect((await refused(makeApp(auditor, 'Mine', undefined)))[0]).toBe(403);
    expect((await refused(makeCredential(auditor, 'dunlin', 'sandbox', 'key', undefined)))[0]).toBe(403);
    expect((await refused(decide(auditor, own.id, 'end', '')))[0]).toBe(403);
    // The owner of an app that a caller makes is the caller, whoever is named.
    const made = await makeApp(dunlin, 'At night', 'kittiwake@agents.example');
    expect((await appFor(dunlin, made.id))?.owner).toBe(dunlin.email);
  });
});

describe('subscriptions', () => {
  test('asked, refused with a reason, approved after all, paused, resumed, ended', async () => {
    const { id: app } = await makeApp(dunlin, 'Sand & Gravel', undefined);
    expect(app).toBe('sand-gravel');
    const state = async () =>
      (await appDetails(operator, app)).subscriptions.map((s) => `${s.planName} ${s.state} ${s.reason}`);
    await subscribe(dunlin, app, 'tides', 'channel');
    expect(await state()).toEqual(['Channel asked ']);
    expect((await known(app))?.subscriptions).toEqual([{ api: 'tides', plan: 'channel', state: 'asked' }]);
    expect((await waiting()).map((s) => s.app)).toContain(app);
    const { id } = (await appDetails(operator, app)).subscriptions[0]!;
    expect(await refused(decide(operator, id, 'refuse', ' '))).toEqual([400, 'Say why: the caller is told.']);
    await decide(operator, id, 'refuse', 'no contract yet');
    expect(await state()).toEqual(['Channel refused no contract yet']);
    await decide(operator, id, 'approve', '');
    await decide(operator, id, 'pause', 'the bill');
    expect(await state()).toEqual(['Channel paused the bill']);
    // Another plan, one that needs no approval, is no way around it.
    expect(await refused(subscribe(dunlin, app, 'tides', 'quay'))).toEqual([
      409,
      'Its subscription is paused: the bill. It has to be resumed first.',
    ]);
    // Nor is another app.
    const { id: other } = await makeApp(dunlin, 'Gravel & Sand', undefined);
    expect(await refused(subscribe(dunlin, other, 'tides', 'quay'))).toEqual([
      409,
      'Your app Sand & Gravel is paused at this API: the bill. It has to be resumed first.',
    ]);
    // Twice, or from a state that it is not in: told, nothing changed.
    expect(await refused(decide(operator, id, 'pause', 'again'))).toEqual([
      409,
      'It is paused now; somebody was faster.',
    ]);
    await decide(operator, id, 'resume', '');
    await decide(operator, id, 'end', '');
    // What the operator ended does not begin again by itself: the open plan has to be asked for.
    await subscribe(dunlin, other, 'tides', 'quay');
    expect((await known(other))?.subscriptions).toEqual([{ api: 'tides', plan: 'quay', state: 'asked' }]);
    await removeApp(dunlin, other);
    await subscribe(operator, app, 'tides', 'channel');
    await decide(dunlin, id, 'end', '');
    expect((await known(app))?.subscriptions[0]?.state).toBe('ended');
    expect((await refused(decide(operator, 99_999, 'end', '')))[0]).toBe(404);
  });

  test('a plan without approval is there at once; another one that waits leaves the old one as it is', async () => {
    const { id: app } = await makeApp(dunlin, 'Two plans', undefined);
    await subscribe(dunlin, app, 'tides', 'quay');
    expect((await refused(subscribe(dunlin, app, 'tides', 'quay')))[0]).toBe(409);
    await subscribe(dunlin, app, 'tides', 'channel');
    const now = async () => (await known(app))?.subscriptions;
    expect(await now()).toEqual([{ api: 'tides', plan: 'quay', state: 'approved' }]);
    const row = (await waiting()).find((s) => s.app === app)!;
    expect([row.planName, row.wanted]).toEqual(['Quay', 'Channel']);
    await decide(operator, row.id, 'refuse', 'not yet');
    expect([await now(), (await waiting()).some((s) => s.app === app)]).toEqual([
      [{ api: 'tides', plan: 'quay', state: 'approved' }],
      false,
    ]);
    await subscribe(dunlin, app, 'tides', 'channel');
    await decide(operator, row.id, 'approve', '');
    expect(await now()).toEqual([{ api: 'tides', plan: 'channel', state: 'approved' }]);
    expect((await holdersOf('tides')).channel).toContain('Two plans');
  });

  test('an API for chosen groups is not offered to callers; staff may subscribe their apps to it', async () => {
    await sql(
      `update drafts set document = jsonb_set(document::jsonb, '{api,visibility}', '{"groups": ["pilots"]}')::json where api = 'tides'`,
    );
    const { id: app } = await makeApp(dunlin, 'Curious', undefined);
    expect((await appDetails(dunlin, app)).offers).toEqual([]);
    expect((await refused(subscribe(dunlin, app, 'tides', 'quay')))[0]).toBe(400);
    await subscribe(operator, app, 'tides', 'quay');
    expect((await known(app))?.subscriptions).toHaveLength(1);
    await sql(`update drafts set document = (document::jsonb #- '{api,visibility}')::json where api = 'tides'`);
  });

  test('only plans that there are', async () => {
    expect((await listOffers()).map((o) => `${o.slug}: ${o.plans.map((p) => p.id).join(', ')}`)).toEqual([
      'tides: quay, channel, pilot-station',
    ]);
    expect((await refused(subscribe(dunlin, 'dunlin', 'tides', 'free')))[0]).toBe(400);
    expect((await refused(subscribe(dunlin, 'dunlin', 'nothing', 'quay')))[0]).toBe(400);
  });
});

describe('keys and secrets', () => {
  test('shown once, kept as SHA-256, per environment; rotated with an overlap; revoked', async () => {
    const { id: app } = await makeApp(dunlin, 'Keys', undefined);
    const first = (await makeCredential(dunlin, app, 'sandbox', 'key', undefined)).secret;
    expect(first).toMatch(/^[\w-]{32}$/);
    expect((await known(app))?.keys).toEqual([{ hash: sha(first) }]);
    expect((await known(app, 'production'))?.keys).toEqual([]);
    expect(JSON.stringify(await sql('select * from credentials'))).not.toContain(first);
    const second = (await makeCredential(dunlin, app, 'sandbox', 'key', 24)).secret;
    const keys = (await known(app))!.keys;
    expect(keys.map((k) => k.hash)).toEqual([sha(first), sha(second)]);
    expect(keys[0]!.until! - Date.now() / 1000).toBeGreaterThan(23.9 * 3600);
    expect(keys[1]!.until).toBeUndefined();
    // The others end now; the one that was to end in a day ends then.
    await makeCredential(dunlin, app, 'sandbox', 'key', 0);
    expect((await known(app))!.keys.map((k) => k.hash)).not.toContain(sha(second));
    await makeCredential(dunlin, app, 'sandbox', 'secret', undefined);
    expect((await known(app))!.secrets).toHaveLength(1);
    for (const c of (await appDetails(operator, app)).credentials) await revokeCredential(dunlin, c.id);
    expect([(await known(app))!.keys, (await known(app))!.secrets]).toEqual([[], []]);
  });

  test('no more than ten that live, and none for an environment that there is not', async () => {
    const { id: app } = await makeApp(dunlin, 'Many', undefined);
    for (let n = 0; n < 10; n++) await makeCredential(dunlin, app, 'sandbox', 'key', undefined);
    expect((await refused(makeCredential(dunlin, app, 'sandbox', 'key', undefined)))[0]).toBe(409);
    expect((await refused(makeCredential(dunlin, app, 'moon', 'key', undefined)))[0]).toBe(400);
  });

  test('an app that is removed takes all that was its own with it', async () => {
    const { id: app } = await makeApp(dunlin, 'Gone', undefined);
    await subscribe(dunlin, app, 'tides', 'quay');
    await makeCredential(dunlin, app, 'sandbox', 'key', undefined);
    await removeApp(dunlin, app);
    expect(await known(app)).toBeUndefined();
    expect(await sql('select 1 from credentials where app = $1', [app])).toEqual([]);
  });
});

describe('what gateways know', () => {
  test('goes with the configuration, has a revision of its own, and is acknowledged', async () => {
    const config = await configFor('sandbox');
    expect(config.callers.apps.map((a) => a.id)).toContain('dunlin');
    const { id: app } = await makeApp(operator, 'Fresh', undefined);
    const { revision } = await callersFor('sandbox');
    expect(revision).not.toBe(config.callers.revision);
    expect((await configFor('sandbox')).revision).toBe(config.revision);
    const gateway = { name: 'quay-1', environment: 'sandbox' };
    expect(await knownBy()).toEqual({ knows: 0, of: 1 });
    await takeReport(gateway, { kind: 'callers-applied', revision });
    expect(await knownBy()).toEqual({ knows: 1, of: 1 });
    await removeApp(operator, app);
    expect(await knownBy()).toEqual({ knows: 0, of: 1 });
  });

  test('tokens that a gateway revoked reach the others of its environment, until they would have ended', async () => {
    const until = Math.floor(Date.now() / 1000) + 600;
    await takeReport(
      { name: 'quay-1', environment: 'sandbox' },
      {
        kind: 'revoked',
        tokens: [
          { jti: 'one', until },
          { jti: 'old', until: 10 },
        ],
      },
    );
    expect((await callersFor('sandbox')).revoked).toEqual([{ jti: 'one', until }]);
    expect((await callersFor('production')).revoked).toEqual([]);
    await takeRevoked('sandbox', []);
    expect(await sql("select jti from revoked_tokens where jti = 'old'")).toEqual([]);
  });

  test('one signing key for each environment, kept encrypted; two that ask at once get the same', async () => {
    const [a, b] = await Promise.all([signingOf('production'), signingOf('production')]);
    expect(a).toEqual(b);
    expect((await signingOf('sandbox')).kid).not.toBe(a.kid);
    expect(JSON.stringify(await sql('select * from token_keys'))).not.toContain(a.key.d);
    process.env.HINGE_SECRET = 'another';
    expect((await signingOf('production')).kid).not.toBe(a.kid);
    process.env.HINGE_SECRET = 'of the tests';
  });
});
