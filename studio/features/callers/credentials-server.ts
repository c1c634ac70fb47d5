import { and, eq, gt, inArray, isNull, or } from 'drizzle-orm';
import { database, schema } from '../../db/client';
import { Told } from '../../lib/route';
import type { SignedIn } from '../../lib/session';
import { sendCallers } from './config';
import { freshCredential } from './keys';
import { demandApp } from './server';

const { credentials, environments } = schema;

/** Makes a key or a client secret, shown once. Those of the same kind and environment end when the overlap is over. */
export async function makeCredential(
  user: SignedIn,
  app: string,
  environment: string,
  kind: 'key' | 'secret',
  overlapHours: number | undefined,
): Promise<{ secret: string }> {
  await demandApp(user, app);
  const db = database();
  const [place] = await db.select().from(environments).where(eq(environments.name, environment));
  if (!place) throw new Told(400, `There is no environment ${environment}.`);
  const now = new Date();
  const same = and(
    eq(credentials.app, app),
    eq(credentials.environment, environment),
    eq(credentials.kind, kind),
    isNull(credentials.revokedAt),
    or(isNull(credentials.until), gt(credentials.until, now)),
  );
  const live = await db.select({ id: credentials.id }).from(credentials).where(same);
  if (live.length >= 10) throw new Told(409, `The app has ten live ones already; revoke some first.`);
  const { secret, hash, hint } = freshCredential();
  await db.transaction(async (tx) => {
    if (overlapHours !== undefined && live.length)
      await tx
        .update(credentials)
        .set({ until: new Date(now.getTime() + overlapHours * 3_600_000) })
        .where(
          and(
            inArray(
              credentials.id,
              live.map((l) => l.id),
            ),
            isNull(credentials.until),
          ),
        );
    await tx.insert(credentials).values({ app, environment, kind, hash, hint, createdBy: user.name });
  });
  await sendCallers([environment]);
  return { secret };
}

export async function revokeCredential(user: SignedIn, id: number): Promise<void> {
  const db = database();
  const [row] = await db.select().from(credentials).where(eq(credentials.id, id));
  if (!row) throw new Told(404, 'There is no such key.');
  await demandApp(user, row.app);
  await db
    .update(credentials)
    .set({ revokedAt: new Date(), revokedBy: user.name })
    .where(and(eq(credentials.id, id), isNull(credentials.revokedAt)));
  await sendCallers([row.environment]);
}
