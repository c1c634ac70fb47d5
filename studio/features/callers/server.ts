import type { FlowDocument, SubscriptionState } from '@hinge/core';
import { and, desc, eq, gt, inArray, isNull, or, sql } from 'drizzle-orm';
import { database, schema } from '../../db/client';
import { Told } from '../../lib/route';
import type { SignedIn } from '../../lib/session';
import { sendCallers } from './config';

const { apis, callerApps, credentials, drafts, environments, gateways, releases, rollouts, subscriptions, traces } =
  schema;

export interface SubscriptionRow {
  readonly id: number;
  readonly app: string;
  readonly appName: string;
  readonly api: string;
  readonly apiName: string;
  readonly plan: string;
  readonly planName: string;
  /** Name of another plan that waits for approval. */
  readonly wanted?: string;
  readonly state: SubscriptionState;
  readonly reason: string;
  readonly at: string;
  readonly by: string;
}
export interface AppRow {
  readonly id: string;
  readonly name: string;
  readonly owner: string;
  readonly live: number;
  readonly subscriptions: readonly SubscriptionRow[];
  /** Calls of the last 24 hours that were traced, and how many of them were refused (4xx). */
  readonly calls: number;
  readonly refused: number;
}
export interface CredentialRow {
  readonly id: number;
  readonly environment: string;
  readonly kind: 'key' | 'secret';
  readonly hint: string;
  readonly at: string;
  readonly by: string;
  readonly until?: string;
  readonly revoked?: string;
}
export interface Offer {
  readonly slug: string;
  readonly name: string;
  readonly plans: readonly { readonly id: string; readonly name: string; readonly approval: boolean }[];
  /** For chosen groups only: staff may subscribe an app to it, its owner does not see it. */
  readonly closed?: true;
}

const DAY_MS = 86_400_000;
const isCaller = (user: SignedIn) => user.role === 'caller';
const demandStaff = (user: SignedIn) => {
  if (user.role !== 'designer' && user.role !== 'operator')
    throw new Told(403, `This needs the role designer or operator; you are signed in as ${user.role}.`);
};

/** APIs with plans: as they run somewhere, else as drafted. */
export async function listOffers(): Promise<Offer[]> {
  const db = database();
  const [drafted, running] = await Promise.all([
    db
      .selectDistinctOn([drafts.api], { slug: drafts.api, document: drafts.document })
      .from(drafts)
      .orderBy(drafts.api, desc(drafts.revision)),
    db
      .selectDistinctOn([rollouts.api], { slug: rollouts.api, document: releases.document })
      .from(rollouts)
      .innerJoin(releases, eq(releases.id, rollouts.release))
      .orderBy(rollouts.api, desc(rollouts.id)),
  ]);
  const documents = new Map<string, FlowDocument>();
  for (const r of [...drafted, ...running]) documents.set(r.slug, r.document);
  return [...documents].flatMap(([slug, d]) => {
    const plans = Object.entries(d.plans ?? {}).map(([id, p]) => ({
      id,
      name: p.name ?? id,
      approval: p.approval ?? false,
    }));
    const closed = typeof d.api.visibility === 'object';
    return plans.length ? [{ slug, name: d.api.name, plans, ...(closed && { closed: true as const }) }] : [];
  });
}

const nameOf = (offers: readonly Offer[], api: string, plan: string): string =>
  offers.find((o) => o.slug === api)?.plans.find((p) => p.id === plan)?.name ?? plan;

async function subscriptionRows(offers: readonly Offer[], app?: string): Promise<SubscriptionRow[]> {
  const rows = await database()
    .select({ s: subscriptions, appName: callerApps.name, apiName: apis.name })
    .from(subscriptions)
    .innerJoin(callerApps, eq(callerApps.id, subscriptions.app))
    .innerJoin(apis, eq(apis.slug, subscriptions.api))
    .where(app === undefined ? undefined : eq(subscriptions.app, app))
    .orderBy(subscriptions.id);
  return rows.map(({ s, appName, apiName }) => ({
    id: s.id,
    app: s.app,
    appName,
    api: s.api,
    apiName,
    plan: s.plan,
    planName: nameOf(offers, s.api, s.plan),
    ...(s.wantedPlan !== null && { wanted: nameOf(offers, s.api, s.wantedPlan) }),
    state: s.state,
    reason: s.reason,
    at: (s.decidedAt ?? s.createdAt).toISOString(),
    by: s.decidedBy ?? s.createdBy,
  }));
}

/** Every app for staff, the own ones for a caller. */
export async function listApps(user: SignedIn): Promise<AppRow[]> {
  const db = database();
  const since = new Date(Date.now() - DAY_MS);
  const apps = await db
    .select()
    .from(callerApps)
    .where(isCaller(user) ? eq(callerApps.owner, user.email) : undefined)
    .orderBy(callerApps.name);
  const offers = await listOffers();
  const [live, subscribed, counted] = await Promise.all([
    db
      .select({ app: credentials.app, n: sql<number>`count(*)::int` })
      .from(credentials)
      .where(and(isNull(credentials.revokedAt), or(isNull(credentials.until), gt(credentials.until, new Date()))))
      .groupBy(credentials.app),
    subscriptionRows(offers),
    db
      .select({
        app: traces.app,
        n: sql<number>`count(*)::int`,
        refused: sql<number>`(count(*) filter (where ${traces.status} between 400 and 499))::int`,
      })
      .from(traces)
      .where(and(gt(traces.at, since), inArray(traces.app, [...apps.map((a) => a.id), ''])))
      .groupBy(traces.app),
  ]);
  return apps.map((a) => ({
    id: a.id,
    name: a.name,
    owner: a.owner,
    live: live.find((l) => l.app === a.id)?.n ?? 0,
    subscriptions: subscribed.filter((s) => s.app === a.id),
    calls: counted.find((c) => c.app === a.id)?.n ?? 0,
    refused: counted.find((c) => c.app === a.id)?.refused ?? 0,
  }));
}

/** The app, if this person may see it; what others own is not there for a caller. */
export async function appFor(user: SignedIn, id: string) {
  const [app] = await database().select().from(callerApps).where(eq(callerApps.id, id));
  return app && (!isCaller(user) || app.owner === user.email) ? app : undefined;
}

/** The app, for whoever may change it. */
export async function demandApp(user: SignedIn, id: string) {
  const app = await appFor(user, id);
  if (!app) throw new Told(404, 'There is no such app.');
  if (!isCaller(user)) demandStaff(user);
  return app;
}

const offeredTo = (user: SignedIn, offers: readonly Offer[]): Offer[] =>
  offers.filter((o) => !(isCaller(user) && o.closed));

export async function appDetails(user: SignedIn, id: string) {
  const db = database();
  const offers = await listOffers();
  const [subscribed, credentialRows, hours, places] = await Promise.all([
    subscriptionRows(offers, id),
    db.select().from(credentials).where(eq(credentials.app, id)).orderBy(desc(credentials.id)).limit(200),
    db
      .select({
        hour: sql<string>`date_trunc('hour', ${traces.at})`,
        answered: sql<number>`(count(*) filter (where ${traces.status} < 400))::int`,
        refused: sql<number>`(count(*) filter (where ${traces.status} between 400 and 499))::int`,
        failed: sql<number>`(count(*) filter (where ${traces.status} >= 500))::int`,
      })
      .from(traces)
      .where(and(eq(traces.app, id), gt(traces.at, new Date(Date.now() - DAY_MS))))
      .groupBy(sql`1`),
    db.select({ name: environments.name }).from(environments).orderBy(environments.position),
  ]);
  return {
    offers: offeredTo(user, offers),
    subscriptions: subscribed,
    environments: places.map((e) => e.name),
    credentials: credentialRows.map((c): CredentialRow => ({
      id: c.id,
      environment: c.environment,
      kind: c.kind,
      hint: c.hint,
      at: c.createdAt.toISOString(),
      by: c.createdBy,
      ...(c.until && { until: c.until.toISOString() }),
      ...(c.revokedAt && { revoked: c.revokedAt.toISOString() }),
    })),
    hours: lastDay(hours),
  };
}

const HOUR_MS = 3_600_000;

/** Each of the last 24 hours, those without calls too. */
function lastDay(found: readonly { hour: string; answered: number; refused: number; failed: number }[]) {
  const by = new Map(found.map((h) => [new Date(h.hour).getTime(), h]));
  const first = Math.floor(Date.now() / HOUR_MS) - 23;
  return Array.from({ length: 24 }, (_x, i) => {
    const at = (first + i) * HOUR_MS;
    const { answered = 0, refused = 0, failed = 0 } = by.get(at) ?? {};
    return { hour: new Date(at).toISOString(), answered, refused, failed };
  });
}
export type AppDetails = Awaited<ReturnType<typeof appDetails>>;

export async function makeApp(user: SignedIn, name: string, owner: string | undefined): Promise<{ id: string }> {
  if (!isCaller(user)) demandStaff(user);
  const base = name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '');
  if (!base) throw new Told(400, 'A name needs letters.');
  const values = { name, owner: isCaller(user) ? user.email : (owner ?? user.email), createdBy: user.name };
  for (let n = 1; n < 100; n++) {
    const id = n === 1 ? base : `${base}-${n}`;
    const made = await database()
      .insert(callerApps)
      .values({ id, ...values })
      .onConflictDoNothing()
      .returning();
    if (made.length) {
      await sendCallers();
      return { id };
    }
  }
  throw new Told(409, `There are too many apps called ${name}.`);
}

export async function removeApp(user: SignedIn, id: string): Promise<void> {
  await demandApp(user, id);
  await database().delete(callerApps).where(eq(callerApps.id, id));
  await sendCallers();
}

/** Asks for a plan. One that needs no approval is there at once; another plan of the same API takes the place of the old one. */
export async function subscribe(user: SignedIn, app: string, api: string, plan: string): Promise<void> {
  await demandApp(user, app);
  const offer = offeredTo(user, await listOffers())
    .find((o) => o.slug === api)
    ?.plans.find((p) => p.id === plan);
  if (!offer) throw new Told(400, `The API ${api} has no plan ${plan}.`);
  const db = database();
  const [old] = await db
    .select()
    .from(subscriptions)
    .where(and(eq(subscriptions.app, app), eq(subscriptions.api, api)));
  if (old && old.plan === plan && (old.state === 'approved' || old.state === 'asked' || old.state === 'paused'))
    throw new Told(409, `The app has this plan already; its subscription is ${old.state}.`);
  // Who is paused is let in again by whoever paused it, not by another plan.
  if (isCaller(user) && old?.state === 'paused')
    throw new Told(
      409,
      `Its subscription is paused${old.reason ? `: ${old.reason}` : ''}. It has to be resumed first.`,
    );
  const barred = isCaller(user) ? await closedByOthers(user, api) : undefined;
  if (barred?.state === 'paused')
    throw new Told(
      409,
      `Your app ${barred.name} is paused at this API${barred.reason ? `: ${barred.reason}` : ''}. It has to be resumed first.`,
    );
  const asks = isCaller(user) && (offer.approval || barred !== undefined);
  if (asks && old?.state === 'approved') {
    // What it has stays until somebody has decided.
    await db.update(subscriptions).set({ wantedPlan: plan }).where(eq(subscriptions.id, old.id));
    return;
  }
  const fresh = {
    plan,
    wantedPlan: null,
    state: asks ? ('asked' as const) : ('approved' as const),
    reason: '',
    createdAt: new Date(),
    createdBy: user.name,
    decidedAt: null,
    decidedBy: null,
  };
  await db
    .insert(subscriptions)
    .values({ app, api, ...fresh })
    .onConflictDoUpdate({ target: [subscriptions.app, subscriptions.api], set: fresh });
  await sendCallers();
}

/** Another app of the same person that somebody else paused, refused or ended at this API: a new app does not get round that. */
async function closedByOthers(user: SignedIn, api: string) {
  const rows = await database()
    .select({
      name: callerApps.name,
      state: subscriptions.state,
      reason: subscriptions.reason,
      by: subscriptions.decidedBy,
    })
    .from(subscriptions)
    .innerJoin(callerApps, eq(callerApps.id, subscriptions.app))
    .where(and(eq(subscriptions.api, api), eq(callerApps.owner, user.email)));
  const closed = rows.filter(
    (r) =>
      r.by !== null && r.by !== user.name && (r.state === 'paused' || r.state === 'refused' || r.state === 'ended'),
  );
  return closed.find((r) => r.state === 'paused') ?? closed[0];
}

export const ACTS = ['approve', 'refuse', 'pause', 'resume', 'end'] as const;
export type Act = (typeof ACTS)[number];
/** From which states an act leads to which. */
const LEADS: Readonly<Record<Act, { readonly from: readonly SubscriptionState[]; readonly to: SubscriptionState }>> = {
  approve: { from: ['asked', 'refused'], to: 'approved' },
  refuse: { from: ['asked'], to: 'refused' },
  pause: { from: ['approved'], to: 'paused' },
  resume: { from: ['paused'], to: 'approved' },
  end: { from: ['asked', 'approved', 'paused', 'refused'], to: 'ended' },
};

export async function decide(user: SignedIn, id: number, act: Act, reason: string): Promise<void> {
  const db = database();
  const [row] = await db.select().from(subscriptions).where(eq(subscriptions.id, id));
  if (!row || !(await appFor(user, row.app))) throw new Told(404, 'There is no such subscription.');
  // Who calls may end what is theirs; all else is for those who run the gateway.
  if (!(isCaller(user) && act === 'end')) demandStaff(user);
  const { from, to } = LEADS[act];
  if ((act === 'refuse' || act === 'pause') && !reason.trim()) throw new Told(400, 'Say why: the caller is told.');
  if (row.wantedPlan !== null && (act === 'approve' || act === 'refuse')) {
    const plan = act === 'approve' ? row.wantedPlan : row.plan;
    await db
      .update(subscriptions)
      .set({ plan, wantedPlan: null, reason: reason.trim(), decidedAt: new Date(), decidedBy: user.name })
      .where(and(eq(subscriptions.id, id), eq(subscriptions.wantedPlan, row.wantedPlan)));
    await sendCallers();
    return;
  }
  const done = await db
    .update(subscriptions)
    .set({
      state: to,
      ...(to === 'ended' && { wantedPlan: null }),
      reason: reason.trim(),
      decidedAt: new Date(),
      decidedBy: user.name,
    })
    .where(and(eq(subscriptions.id, id), inArray(subscriptions.state, [...from])))
    .returning();
  if (!done.length) throw new Told(409, `It is ${row.state} now; somebody was faster.`);
  await sendCallers();
}

/** Whether every gateway knows the callers as they are now. */
export async function knownBy(): Promise<{ knows: number; of: number }> {
  const rows = await database().select().from(gateways);
  return {
    knows: rows.filter((g) => g.wantedCallers !== null && g.wantedCallers === g.appliedCallers).length,
    of: rows.length,
  };
}

/** Requests for a plan that wait for somebody. */
export async function waiting(): Promise<SubscriptionRow[]> {
  return (await subscriptionRows(await listOffers())).filter((s) => s.state === 'asked' || s.wanted !== undefined);
}

/** Names of the apps that hold each plan of an API, by plan. */
export async function holdersOf(api: string): Promise<Record<string, string[]>> {
  const rows = (await subscriptionRows([])).filter(
    (s) => s.api === api && s.state !== 'ended' && s.state !== 'refused',
  );
  const out: Record<string, string[]> = {};
  for (const r of rows) (out[r.plan] ??= []).push(r.appName);
  return out;
}
