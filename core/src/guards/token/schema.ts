import { z } from 'zod';

export const tokenGuardSchema = z.strictObject({
  kind: z
    .literal('token')
    .describe('A token that this gateway gave (RFC 6749 §4.4 at /oauth/token, sent as RFC 6750 §2.1 says)'),
  off: z.boolean().optional(),
  scopes: z
    .array(
      z
        .string()
        .regex(/^[\x21\x23-\x5b\x5d-\x7e]+$/, 'must be a scope: printable, without spaces, quotes and backslashes')
        .max(100),
    )
    .max(50)
    .optional()
    .describe('All of these must have been given; plans give them'),
});
export type TokenGuardDocument = z.infer<typeof tokenGuardSchema>;
