import { afterAll, beforeAll } from '@jest/globals';
import { seed } from '@hinge/demo';
import { mkdtempSync } from 'node:fs';
import { ensureDatabase, startPostgres, type RunningPostgres } from '../../command/src/up/postgres';
import { migrateDatabase } from '../db';

/** A PostgreSQL of the suite's own, migrated by two at once, the demo seeded twice. Tells its address. */
export function withDatabase(told: (url: string) => void): void {
  let postgres: RunningPostgres | undefined;
  beforeAll(async () => {
    postgres = await startPostgres(mkdtempSync('/var/tmp/hinge-test-'));
    const url = await ensureDatabase(postgres, 'studio_test');
    await Promise.all([migrateDatabase(url), migrateDatabase(url)]);
    process.env.DATABASE_URL = url;
    process.env.HINGE_SECRET = 'of the tests';
    const options = {
      connectionString: url,
      demo: true,
      gatewayToken: 'token',
      gatewayAddress: 'http://127.0.0.1:1',
      berthsAddress: 'http://127.0.0.1:2/soap',
      brokerAddress: 'mqtt://127.0.0.1:1',
      receiverAddress: 'http://127.0.0.1:1/hooks/',
      townAddress: 'http://127.0.0.1:3',
    };
    await seed(options);
    await seed(options);
    told(url);
  }, 120_000);
  afterAll(async () => {
    const held = globalThis as { hingeDatabase?: { $client: { end(): Promise<void> } } };
    await held.hingeDatabase?.$client.end();
    postgres?.stop();
  });
}
