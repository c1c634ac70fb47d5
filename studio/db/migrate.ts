import { drizzle } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Client } from 'pg';

/** Brings the database up to date. Two that start at once wait for each other under an advisory lock. */
export async function migrateDatabase(connectionString: string): Promise<void> {
  const client = new Client({ connectionString });
  await client.connect();
  try {
    await client.query('select pg_advisory_lock(41170)');
    await migrate(drizzle(client), { migrationsFolder: join(dirname(fileURLToPath(import.meta.url)), 'migrations') });
  } finally {
    await client.end();
  }
}
