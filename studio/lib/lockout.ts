import { APIError, createAuthMiddleware } from 'better-auth/api';
import { eq, lt, sql } from 'drizzle-orm';
import { database, schema } from '../db/client';

const { signInFailures } = schema;

export const LOCKOUT = { tries: 10, minutes: 15, forgottenHours: 24 } as const;
const SIGN_IN = '/sign-in/email';

const mailOf = (body: unknown): string | undefined => {
  const email = (body as { email?: unknown } | undefined)?.email;
  return typeof email === 'string' ? email.trim().toLowerCase().slice(0, 254) : undefined;
};

/** Until when an address takes no sign-in; the same for one that nobody has, so that nothing is told of who is there. */
export async function lockedUntil(email: string): Promise<Date | undefined> {
  const [row] = await database().select().from(signInFailures).where(eq(signInFailures.email, email));
  return row?.lockedUntil && row.lockedUntil > new Date() ? row.lockedUntil : undefined;
}

/** A wrong password: after LOCKOUT.tries in a row the address is closed for LOCKOUT.minutes, and the count begins anew. */
export async function countFailure(email: string): Promise<void> {
  const db = database();
  const now = new Date();
  await db
    .delete(signInFailures)
    .where(lt(signInFailures.lastAt, new Date(now.getTime() - LOCKOUT.forgottenHours * 3_600_000)));
  const [row] = await db
    .insert(signInFailures)
    .values({ email, count: 1, lastAt: now })
    .onConflictDoUpdate({
      target: signInFailures.email,
      set: { count: sql`${signInFailures.count} + 1`, lastAt: now },
    })
    .returning();
  if (row && row.count >= LOCKOUT.tries)
    await db
      .update(signInFailures)
      .set({ count: 0, lockedUntil: new Date(now.getTime() + LOCKOUT.minutes * 60_000) })
      .where(eq(signInFailures.email, email));
}

export async function forgetFailures(email: string): Promise<void> {
  await database().delete(signInFailures).where(eq(signInFailures.email, email));
}

export const beforeSignIn = createAuthMiddleware(async (ctx) => {
  const email = ctx.path === SIGN_IN ? mailOf(ctx.body) : undefined;
  const until = email === undefined ? undefined : await lockedUntil(email);
  if (!until) return;
  const minutes = Math.ceil((until.getTime() - Date.now()) / 60_000);
  throw new APIError('TOO_MANY_REQUESTS', {
    message: `Too many wrong passwords. Try again in ${minutes === 1 ? 'a minute' : `${minutes} minutes`}.`,
  });
});

export const afterSignIn = createAuthMiddleware(async (ctx) => {
  const email = ctx.path === SIGN_IN ? mailOf(ctx.body) : undefined;
  if (email === undefined) return;
  const { returned } = ctx.context;
  if (returned instanceof APIError) {
    if (returned.statusCode === 401) await countFailure(email);
  } else await forgetFailures(email);
});
