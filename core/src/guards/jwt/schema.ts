import { z } from 'zod';

const ALGORITHMS = ['RS256', 'RS384', 'RS512', 'PS256', 'PS384', 'PS512', 'ES256', 'ES384', 'ES512', 'EdDSA'] as const;
const text = z.string().min(1).max(500);

export const jwtGuardSchema = z.strictObject({
  kind: z.literal('jwt').describe('A token of an issuer (RFC 7519, sent as RFC 6750 §2.1 says)'),
  off: z.boolean().optional(),
  issuer: text.describe('What iss must be'),
  audience: z
    .union([text, z.array(text).min(1).max(20)])
    .optional()
    .describe('One of these must stand in aud'),
  jwks: z
    .string()
    .regex(/^https?:\/\/[^\s/]+/, 'must be an http or https address')
    .optional()
    .describe('Address of the keys of the issuer (RFC 7517 §5)'),
  keys: z
    .array(z.looseObject({ kty: z.enum(['RSA', 'EC', 'OKP']) }))
    .max(20)
    .optional()
    .describe('Public keys themselves (JWK), instead of an address'),
  algorithms: z.array(z.enum(ALGORITHMS)).min(1).optional().describe('Those of public keys, all of them, when absent'),
  scopes: z.array(text).max(50).optional().describe('All of these must stand in scope or scp'),
  app: z
    .array(text)
    .min(1)
    .max(5)
    .optional()
    .describe('Claims that name the app, the first that is there; client_id, azp, sub when absent'),
  toleranceSeconds: z.int().min(0).max(600).optional().describe('By how much clocks may differ; 30 when absent'),
});
export type JwtGuardDocument = z.infer<typeof jwtGuardSchema>;
