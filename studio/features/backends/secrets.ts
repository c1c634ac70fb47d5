import { and, eq } from 'drizzle-orm';
import { database, schema } from '../../db/client';
import { Told } from '../../lib/route';
import { seal, unseal } from '../../lib/sealing';

const { environments, secrets } = schema;
const USE = 'secrets of environments';

/** Secrets of an environment as its gateways need them, and what changes when one of them does; that tells nothing of the values. */
export async function secretsFor(environment: string): Promise<{ values: Record<string, string>; mark: string }> {
  const rows = await database()
    .select()
    .from(secrets)
    .where(eq(secrets.environment, environment))
    .orderBy(secrets.name);
  const values: Record<string, string> = {};
  for (const row of rows) {
    const value = await unseal(USE, row.sealed);
    if (value !== undefined) values[row.name] = value;
  }
  return { values, mark: rows.map((r) => `${r.name} ${r.changedAt.getTime()}`).join(', ') };
}

export interface SecretState {
  readonly environment: string;
  readonly name: string;
  readonly changedAt: string;
  readonly changedBy: string;
}

/** Which secrets are set, by whom and when; never the values. */
export async function secretStates(): Promise<SecretState[]> {
  const { environment, name, changedAt, changedBy } = secrets;
  const rows = await database().select({ environment, name, changedAt, changedBy }).from(secrets);
  return rows.map((r) => ({ ...r, changedAt: r.changedAt.toISOString() }));
}

export async function setSecret(environment: string, name: string, value: string, by: string): Promise<void> {
  const db = database();
  const [place] = await db.select().from(environments).where(eq(environments.name, environment));
  if (!place) throw new Told(404, `There is no environment ${environment}.`);
  const row = { sealed: await seal(USE, value), changedAt: new Date(), changedBy: by };
  await db
    .insert(secrets)
    .values({ environment, name, ...row })
    .onConflictDoUpdate({ target: [secrets.environment, secrets.name], set: row });
}

export async function removeSecret(environment: string, name: string): Promise<void> {
  const gone = await database()
    .delete(secrets)
    .where(and(eq(secrets.environment, environment), eq(secrets.name, name)))
    .returning({ name: secrets.name });
  if (!gone.length) throw new Told(404, `The secret ${name} is not set in ${environment}.`);
}
