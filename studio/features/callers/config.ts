import type { CallersConfig } from '@hinge/core';
import { createHash } from 'node:crypto';
import { and, eq, gt, isNull, lt, or } from 'drizzle-orm';
import { database, schema } from '../../db/client';
import { hub } from '../gateways/hub';
import { signingOf } from './keys';

const { callerApps, credentials, environments, gateways, revokedTokens, subscriptions } = schema;
const seconds = (t: Date) => Math.floor(t.getTime() / 1000);

/** What gateways of an environment know of callers. */
export async function callersFor(environment: string): Promise<CallersConfig> {
  const db = database();
  const now = new Date();
  const [apps, live, all, revoked, signing] = await Promise.all([
    db.select().from(callerApps).orderBy(callerApps.id),
    db
      .select()
      .from(credentials)
      .where(
        and(
          eq(credentials.environment, environment),
          isNull(credentials.revokedAt),
          or(isNull(credentials.until), gt(credentials.until, now)),
        ),
      )
      .orderBy(credentials.id),
    db.select().from(subscriptions).orderBy(subscriptions.id),
    db
      .select()
      .from(revokedTokens)
      .where(and(eq(revokedTokens.environment, environment), gt(revokedTokens.until, now))),
    signingOf(environment),
  ]);
  const of = (app: string, kind: 'key' | 'secret') =>
    live
      .filter((c) => c.app === app && c.kind === kind)
      .map((c) => ({ hash: c.hash, ...(c.until && { until: seconds(c.until) }) }));
  const known = {
    apps: apps.map((a) => ({
      id: a.id,
      name: a.name,
      keys: of(a.id, 'key'),
      secrets: of(a.id, 'secret'),
      subscriptions: all.filter((s) => s.app === a.id).map(({ api, plan, state }) => ({ api, plan, state })),
    })),
    revoked: revoked.map((r) => ({ jti: r.jti, until: seconds(r.until) })),
  };
  const revision = createHash('sha256')
    .update(JSON.stringify([known, signing.kid]))
    .digest('hex')
    .slice(0, 12);
  return { revision, ...known, signing };
}

/** Tells all gateways of these environments, or of every one; they answer when they know. */
export async function sendCallers(names?: readonly string[]): Promise<void> {
  const db = database();
  const wanted = names ?? (await db.select({ name: environments.name }).from(environments)).map((e) => e.name);
  for (const environment of wanted) {
    const known = await callersFor(environment);
    await db.update(gateways).set({ wantedCallers: known.revision }).where(eq(gateways.environment, environment));
    for (const line of hub().in(environment)) line.send('callers', known);
  }
}

/** A gateway revoked tokens: every other one of the environment hears of it. */
export async function takeRevoked(
  environment: string,
  tokens: readonly { readonly jti: string; readonly until: number }[],
): Promise<void> {
  const db = database();
  await db.delete(revokedTokens).where(lt(revokedTokens.until, new Date()));
  if (!tokens.length) return;
  await db
    .insert(revokedTokens)
    .values(tokens.map((t) => ({ jti: t.jti, environment, until: new Date(t.until * 1000) })))
    .onConflictDoNothing();
  await sendCallers([environment]);
}
