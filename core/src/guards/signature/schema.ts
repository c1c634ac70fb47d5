import { z } from 'zod';

const token = z.string().regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/, 'must be a header name');

export const signatureGuardSchema = z.strictObject({
  kind: z.literal('signature').describe('A body signed with a secret that both sides have (HMAC, RFC 2104)'),
  off: z.boolean().optional(),
  secret: z
    .string()
    .min(1)
    .max(200)
    .describe('Name of the secret of the environment, or of its variable, that holds it, e.g. hookSecret'),
  header: token.optional().describe('Header of the signature; X-Signature when absent'),
  prefix: z.string().max(50).optional().describe('What stands before it, e.g. sha256='),
  algorithm: z.enum(['sha1', 'sha256', 'sha512']).optional().describe('sha256 when absent'),
  encoding: z.enum(['hex', 'base64']).optional().describe('hex when absent'),
  timestamp: z
    .strictObject({ header: token, toleranceSeconds: z.int().min(1).max(86_400) })
    .optional()
    .describe(
      'Header with seconds since 1970; signed is then the time, a full stop and the body, and old ones are refused',
    ),
});
export type SignatureGuardDocument = z.infer<typeof signatureGuardSchema>;
