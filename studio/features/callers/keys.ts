import { createHash, randomBytes } from 'node:crypto';
import { CompactEncrypt, compactDecrypt, exportJWK, generateKeyPair, type JWK } from 'jose';
import { eq } from 'drizzle-orm';
import { database, schema } from '../../db/client';

const { tokenKeys } = schema;

/** 192 random bits: what is kept is the SHA-256, and it tells nothing of them. */
export function freshCredential(): { secret: string; hash: string; hint: string } {
  const secret = randomBytes(24).toString('base64url');
  return { secret, hash: createHash('sha256').update(secret).digest('hex'), hint: secret.slice(-4) };
}

const sealing = () =>
  createHash('sha256')
    .update(`token keys ${process.env.HINGE_SECRET ?? ''}`)
    .digest();

/** The key that signs tokens of an environment; made once, kept encrypted (JWE, RFC 7516). */
export async function signingOf(environment: string): Promise<{ kid: string; key: JWK }> {
  const db = database();
  const kept = () => db.select().from(tokenKeys).where(eq(tokenKeys.environment, environment));
  const [row] = await kept();
  if (row) {
    try {
      const { plaintext } = await compactDecrypt(row.sealed, sealing());
      return { kid: row.kid, key: JSON.parse(new TextDecoder().decode(plaintext)) as JWK };
    } catch {
      // Sealed with another secret: nobody can read it any more. Tokens that it signed end with it.
      await db.delete(tokenKeys).where(eq(tokenKeys.environment, environment));
    }
  }
  const { privateKey } = await generateKeyPair('ES256', { extractable: true });
  const key = await exportJWK(privateKey);
  const sealed = await new CompactEncrypt(new TextEncoder().encode(JSON.stringify(key)))
    .setProtectedHeader({ alg: 'dir', enc: 'A256GCM' })
    .encrypt(sealing());
  const kid = randomBytes(6).toString('hex');
  const made = await db.insert(tokenKeys).values({ environment, kid, sealed }).onConflictDoNothing().returning();
  // Two at once: the first one's key counts.
  return made.length ? { kid, key } : signingOf(environment);
}
