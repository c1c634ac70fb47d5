import { createHash, randomBytes } from 'node:crypto';
import { exportJWK, generateKeyPair, type JWK } from 'jose';
import { eq } from 'drizzle-orm';
import { database, schema } from '../../db/client';
import { seal, unseal } from '../../lib/sealing';

const { tokenKeys } = schema;

/** 192 random bits: what is kept is the SHA-256, and it tells nothing of them. */
export function freshCredential(): { secret: string; hash: string; hint: string } {
  const secret = randomBytes(24).toString('base64url');
  return { secret, hash: createHash('sha256').update(secret).digest('hex'), hint: secret.slice(-4) };
}

const USE = 'token keys';

/** The key that signs tokens of an environment; made once, kept encrypted (JWE, RFC 7516). */
export async function signingOf(environment: string): Promise<{ kid: string; key: JWK }> {
  const db = database();
  const kept = () => db.select().from(tokenKeys).where(eq(tokenKeys.environment, environment));
  const [row] = await kept();
  if (row) {
    const text = await unseal(USE, row.sealed);
    if (text !== undefined) return { kid: row.kid, key: JSON.parse(text) as JWK };
    // Tokens that it signed end with it.
    await db.delete(tokenKeys).where(eq(tokenKeys.environment, environment));
  }
  const { privateKey } = await generateKeyPair('ES256', { extractable: true });
  const key = await exportJWK(privateKey);
  const sealed = await seal(USE, JSON.stringify(key));
  const kid = randomBytes(6).toString('hex');
  const made = await db.insert(tokenKeys).values({ environment, kid, sealed }).onConflictDoNothing().returning();
  // Two at once: the first one's key counts.
  return made.length ? { kid, key } : signingOf(environment);
}
