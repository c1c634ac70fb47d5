import { expect, jest, test } from '@jest/globals';
import { Client } from 'pg';
import { removeSecret, secretsFor, secretStates, setSecret } from '../features/backends/secrets';
import { addBackend, getBackend, setCredentials } from '../features/backends/server';
import { configFor } from '../features/gateways/server';
import { assemble } from '../features/apis/server';
import { withDatabase } from './base';

jest.setTimeout(60_000);
let url: string;
withDatabase((u) => (url = u));

const dump = async (): Promise<string> => {
  const db = new Client({ connectionString: url });
  await db.connect();
  const { rows } = await db.query<Record<string, unknown>>('select * from secrets');
  await db.end();
  return JSON.stringify(rows);
};

test('a secret goes to the gateways of its environment; the database has it encrypted', async () => {
  await setSecret('sandbox', 'tides-key', 'k-4711', 'ruff');
  expect((await configFor('sandbox')).secrets).toEqual({ 'tides-key': 'k-4711' });
  expect((await configFor('production')).secrets).toEqual({});
  expect(await dump()).toContain('tides-key');
  expect(await dump()).not.toContain('k-4711');
  expect(await secretStates()).toMatchObject([{ environment: 'sandbox', name: 'tides-key', changedBy: 'ruff' }]);
  expect(JSON.stringify(await secretStates())).not.toContain('k-4711');
});

test('each change is another revision, which tells nothing of the value', async () => {
  const before = (await configFor('sandbox')).revision;
  await setSecret('sandbox', 'tides-key', 'k-4712', 'ruff');
  const after = await configFor('sandbox');
  expect(after.revision).not.toBe(before);
  expect(after.secrets).toEqual({ 'tides-key': 'k-4712' });
  expect((await secretsFor('sandbox')).mark).not.toContain('k-4712');
});

test('under another secret of the studio nobody reads it; it counts as not set', async () => {
  const own = process.env.HINGE_SECRET;
  process.env.HINGE_SECRET = 'another one';
  try {
    expect((await secretsFor('sandbox')).values).toEqual({});
  } finally {
    if (own === undefined) delete process.env.HINGE_SECRET;
    else process.env.HINGE_SECRET = own;
  }
  expect((await secretsFor('sandbox')).values).toEqual({ 'tides-key': 'k-4712' });
});

test('removed, it is gone; what is not there says so', async () => {
  await removeSecret('sandbox', 'tides-key');
  expect((await configFor('sandbox')).secrets).toEqual({});
  await expect(removeSecret('sandbox', 'tides-key')).rejects.toMatchObject({ status: 404 });
  await expect(setSecret('nowhere', 'a', 'b', 'ruff')).rejects.toMatchObject({ status: 404 });
});

test('credentials of a backend come into every document that calls it, without values', async () => {
  await addBackend({ name: 'gauge', title: 'Gauge', addresses: { sandbox: 'http://127.0.0.1:9' }, by: 'ruff' });
  await setCredentials('gauge', [{ kind: 'bearer', secret: 'gauge-token' }]);
  expect((await getBackend('gauge'))!.credentials).toEqual([{ kind: 'bearer', secret: 'gauge-token' }]);
  const whole = await assemble({
    hinge: 1,
    api: { name: 'A', version: '1' },
    doors: [],
    backends: { gauge: {} },
    operations: {},
  });
  expect(whole.backends!.gauge!.credentials).toEqual([{ kind: 'bearer', secret: 'gauge-token' }]);
  await expect(setCredentials('none', [])).rejects.toMatchObject({ status: 404 });
});
