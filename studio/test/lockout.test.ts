import { describe, expect, jest, test } from '@jest/globals';
import { Client } from 'pg';
import { auth } from '../lib/auth';
import { countFailure, LOCKOUT, lockedUntil } from '../lib/lockout';
import { withDatabase } from './base';

jest.setTimeout(60_000);
let url: string;
// Each wrong password is logged, as it should be.
jest.spyOn(console, 'warn').mockImplementation(() => undefined);
withDatabase((u) => {
  url = u;
  process.env.HINGE_STUDIO_URL = 'http://studio.test';
});
const sql = async (text: string, values: unknown[] = []) => {
  const c = new Client({ connectionString: url });
  await c.connect();
  await c.query(text, values);
  await c.end();
};
/** As the route does it; the limit by address is not what is looked at here, so each try has another. */
let tries = 0;
const signIn = async (email: string, password: string): Promise<[number, string]> => {
  const r = await auth().handler(
    new Request('http://studio.test/api/auth/sign-in/email', {
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        origin: 'http://studio.test',
        'x-forwarded-for': `192.0.2.${++tries}`,
      },
      body: JSON.stringify({ email, password }),
    }),
  );
  return [r.status, ((await r.json()) as { message?: string }).message ?? ''];
};

describe('guessing (OWASP API2:2023)', () => {
  test('ten wrong passwords close an address, also for the right one; it opens again', async () => {
    const email = 'ruff@tarnhaven.example';
    expect((await signIn(email, 'grey-wagtail'))[0]).toBe(200);
    for (let n = 0; n < LOCKOUT.tries; n++)
      expect((await signIn(n % 2 ? email : email.toUpperCase(), 'guess-guess'))[0]).toBe(401);
    expect(await signIn(email, 'grey-wagtail')).toEqual([429, 'Too many wrong passwords. Try again in 15 minutes.']);
    await sql("update sign_in_failures set locked_until = now() - interval '1 second' where email = $1", [email]);
    expect((await signIn(email, 'grey-wagtail'))[0]).toBe(200);
    expect(await lockedUntil(email)).toBeUndefined();
  });

  test('one that nobody has is treated the same: nothing is told of who is there', async () => {
    const words = [];
    for (const email of ['plover@tarnhaven.example', 'nobody@tarnhaven.example']) {
      for (let n = 0; n < LOCKOUT.tries; n++) await signIn(email, 'guess-guess');
      words.push(await signIn(email, 'guess-guess'));
    }
    expect(words[0]).toEqual(words[1]);
    expect(words[0]![0]).toBe(429);
  });

  test('a right password between wrong ones begins the count anew; old ones are forgotten', async () => {
    const email = 'turnstone@tarnhaven.example';
    for (let round = 0; round < 2; round++) {
      for (let n = 0; n < LOCKOUT.tries - 1; n++) await signIn(email, 'guess-guess');
      expect((await signIn(email, 'grey-wagtail'))[0]).toBe(200);
    }
    for (let n = 0; n < LOCKOUT.tries - 1; n++) await countFailure(email);
    await sql("update sign_in_failures set last_at = now() - interval '2 days' where email = $1", [email]);
    await countFailure(email);
    expect(await lockedUntil(email)).toBeUndefined();
  });
});
