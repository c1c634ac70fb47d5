import { createHash } from 'node:crypto';
import { CompactEncrypt, compactDecrypt } from 'jose';

/** What the database keeps and nobody may read from it: encrypted (JWE, RFC 7516) with the studio's secret, a key for each use. */
const keyFor = (use: string) =>
  createHash('sha256')
    .update(`${use} ${process.env.HINGE_SECRET ?? ''}`)
    .digest();

export const seal = (use: string, text: string): Promise<string> =>
  new CompactEncrypt(new TextEncoder().encode(text))
    .setProtectedHeader({ alg: 'dir', enc: 'A256GCM' })
    .encrypt(keyFor(use));

/** Undefined where it was sealed with another secret: nobody can read it any more. */
export async function unseal(use: string, sealed: string): Promise<string | undefined> {
  try {
    const { plaintext } = await compactDecrypt(sealed, keyFor(use));
    return new TextDecoder().decode(plaintext);
  } catch {
    return undefined;
  }
}
