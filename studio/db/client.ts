import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { Pool } from 'pg';
import * as schema from './schema';

export type Database = NodePgDatabase<typeof schema>;

const held = globalThis as { hingeDatabase?: Database };

/** One pool a process; development reloads modules, the pool stays. */
export function database(): Database {
  if (!held.hingeDatabase) {
    const connectionString = process.env.DATABASE_URL;
    if (!connectionString) throw new Error('DATABASE_URL is not set; start the studio through ./hinge up');
    held.hingeDatabase = drizzle(poolOf(connectionString), { schema });
  }
  return held.hingeDatabase;
}

export { schema };

/** A server that ends takes its connections with it: a query in flight fails, the next one opens another, and nobody else is to end for it. */
function poolOf(connectionString: string): Pool {
  const pool = new Pool({ connectionString, max: 10, statement_timeout: 15_000 });
  const tell = (error: Error): void => console.error(`the database has closed a connection: ${error.message}`);
  pool.on('error', tell);
  pool.on('connect', (client) => client.on('error', tell));
  return pool;
}
