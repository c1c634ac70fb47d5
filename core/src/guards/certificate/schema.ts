import { z } from 'zod';

const name = z.string().min(1).max(500);

export const certificateGuardSchema = z.strictObject({
  kind: z
    .literal('certificate')
    .describe('A certificate of the caller (mutual TLS), where the gateway ends TLS itself'),
  off: z.boolean().optional(),
  names: z
    .array(name)
    .max(1000)
    .optional()
    .describe(
      'Common names and alternative names (DNS:…, URI:…, email:…) that may come in; all of the authority when absent',
    ),
  fingerprints: z
    .array(z.string().regex(/^([0-9A-Fa-f]{2}:?){31}[0-9A-Fa-f]{2}$/, 'must be a SHA-256 in hexadecimal digits'))
    .max(1000)
    .optional()
    .describe('SHA-256 of the certificates that may come in'),
});
export type CertificateGuardDocument = z.infer<typeof certificateGuardSchema>;
