import { schema } from '@hinge/studio/db';
import { hashPassword } from 'better-auth/crypto';
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { createHash, randomUUID } from 'node:crypto';
import { Pool } from 'pg';
import { demoApis, demoBackends } from './documents';

export interface SeedOptions {
  readonly connectionString: string;
  readonly demo: boolean;
  readonly gatewayToken: string;
  readonly gatewayAddress: string;
  readonly berthsAddress: string;
  readonly townAddress: string;
  readonly brokerAddress: string;
  /** Of the agents' receiver, below which it takes webhooks. */
  readonly receiverAddress: string;
}

export const SIGN_INS = [
  { name: 'M. Ruff', email: 'ruff@tarnhaven.example', password: 'grey-wagtail', role: 'designer' },
  { name: 'O. Plover', email: 'plover@tarnhaven.example', password: 'grey-wagtail', role: 'operator' },
  { name: 'A. Turnstone', email: 'turnstone@tarnhaven.example', password: 'grey-wagtail', role: 'auditor' },
  { name: 'K. Dunlin', email: 'dunlin@agents.example', password: 'grey-wagtail', role: 'caller' },
] as const;

/** Fills an empty database; what is there already stays as it is. The gateway's row follows the ports of this start. */
export async function seed(options: SeedOptions): Promise<void> {
  const pool = new Pool({ connectionString: options.connectionString, max: 1 });
  const db = drizzle(pool, { schema });
  try {
    for (const s of SIGN_INS) {
      const id = randomUUID();
      const made = await db
        .insert(schema.user)
        .values({ id, name: s.name, email: s.email, emailVerified: true, role: s.role })
        .onConflictDoNothing()
        .returning();
      if (made.length)
        await db.insert(schema.account).values({
          id: randomUUID(),
          accountId: id,
          providerId: 'credential',
          userId: id,
          password: await hashPassword(s.password),
        });
    }
    await db
      .insert(schema.environments)
      .values([
        { name: 'sandbox', title: 'Sandbox', position: 0, variables: { officeCode: 'TH-22' } },
        { name: 'production', title: 'Production', position: 1, variables: { officeCode: 'TH-01' } },
      ])
      .onConflictDoNothing();
    const tokenHash = createHash('sha256').update(options.gatewayToken).digest('hex');
    await db
      .insert(schema.gateways)
      .values({ name: 'quay-1', environment: 'sandbox', tokenHash, address: options.gatewayAddress })
      .onConflictDoUpdate({ target: schema.gateways.name, set: { tokenHash, address: options.gatewayAddress } });
    if (!options.demo) return;
    for (const { address, ...b } of demoBackends({ berths: options.berthsAddress, town: options.townAddress }))
      await db
        .insert(schema.backends)
        .values({ ...b, addresses: { sandbox: address }, createdBy: 'demo' })
        .onConflictDoNothing();
    for (const [slug, document] of Object.entries(demoApis(options.brokerAddress, options.receiverAddress))) {
      const made = await db
        .insert(schema.apis)
        .values({ slug, name: document.api.name })
        .onConflictDoNothing()
        .returning();
      if (made.length)
        await db.insert(schema.drafts).values({ api: slug, revision: 1, document, createdBy: 'demo', note: 'seeded' });
    }
    await seedCallers(db);
  } finally {
    await pool.end();
  }
}

const APPS = [
  { id: 'kittiwake', name: 'Kittiwake Agency', owner: 'kittiwake@agents.example', plan: 'channel', state: 'approved' },
  { id: 'dunlin', name: 'Dunlin & Sons', owner: 'dunlin@agents.example', plan: 'quay', state: 'approved' },
  { id: 'sandpiper', name: 'Sandpiper Freight', owner: 'sandpiper@agents.example', plan: 'channel', state: 'asked' },
] as const;

/** The agents of the harbour and what they may call. Keys are made by whoever tries it. */
async function seedCallers(db: NodePgDatabase<typeof schema>): Promise<void> {
  for (const { id, name, owner, plan, state } of APPS) {
    const made = await db
      .insert(schema.callerApps)
      .values({ id, name, owner, createdBy: 'demo' })
      .onConflictDoNothing()
      .returning();
    if (made.length)
      await db.insert(schema.subscriptions).values({ app: id, api: 'tides', plan, state, createdBy: name });
  }
}
