import { z } from 'zod';

export const basicGuardSchema = z.strictObject({
  kind: z.literal('basic').describe('User name and password (RFC 7617)'),
  off: z.boolean().optional(),
  users: z
    .record(
      z.string().regex(/^[^:\p{Cc}]{1,200}$/u, 'must be a name without a colon'),
      z
        .string()
        .regex(
          /^pbkdf2-sha256\$\d{4,8}\$[A-Za-z0-9+/]{16,}={0,2}\$[A-Za-z0-9+/]{43}=$/,
          'must be pbkdf2-sha256$rounds$salt$hash',
        ),
    )
    .describe('PBKDF2-HMAC-SHA256 of each password, as pbkdf2-sha256$rounds$salt$hash in base64'),
});
export type BasicGuardDocument = z.infer<typeof basicGuardSchema>;
