import { z } from 'zod';

/** What a backend wants to know the gateway by. Secrets stand here by name; their values belong to an environment, never to a document. */

const secret = z
  .string()
  .regex(/^[A-Za-z_][A-Za-z0-9_.-]{0,99}$/, 'must start with a letter and hold only letters, digits, _, - and .')
  .describe('Name of a secret of the environment');
const user = z.string().min(1).max(500);

export const credentialSchema = z.discriminatedUnion('kind', [
  z
    .strictObject({ kind: z.literal('basic'), user, secret: secret.describe('The password') })
    .describe('Name and password in Authorization (RFC 7617)'),
  z
    .strictObject({ kind: z.literal('bearer'), secret: secret.describe('The token') })
    .describe('A token that does not change, in Authorization (RFC 6750)'),
  z
    .strictObject({
      kind: z.literal('key'),
      in: z.enum(['header', 'query', 'cookie']),
      name: z
        .string()
        .min(1)
        .max(200)
        .regex(/^[!#$%&'*+.^_`|~A-Za-z0-9-]+$/, 'must be a token (RFC 9110 §5.6.2)'),
      secret: secret.describe('The key'),
    })
    .describe('A key in a header field, a query parameter or a cookie'),
  z
    .strictObject({
      kind: z.literal('client'),
      tokenUrl: z.string().regex(/^https?:\/\/[^/]/, 'must be an http or https address'),
      clientId: user,
      secret: secret.describe('The client secret'),
      scopes: z.array(z.string().min(1).max(200)).max(50).optional(),
      audience: z.string().min(1).max(1000).optional().describe('Sent as audience, which many issuers ask for'),
      send: z
        .enum(['header', 'body'])
        .optional()
        .describe('Where id and secret stand in the request for a token; header when absent (RFC 6749 §2.3.1)'),
    })
    .describe(
      'A token of an issuer, fetched with the client credentials grant (RFC 6749 §4.4) and kept while it lives',
    ),
  z
    .strictObject({
      kind: z.literal('username-token'),
      user,
      secret: secret.describe('The password'),
      digest: z.boolean().optional().describe('Send a digest with nonce and time in place of the password'),
    })
    .describe('Name and password in the SOAP header (OASIS WS-Security UsernameToken Profile 1.1.1)'),
]);
export type CredentialDocument = z.infer<typeof credentialSchema>;

export const credentialsSchema = z
  .array(credentialSchema)
  .max(5)
  .describe('What the gateway shows to the backend, with every call; callers never see it');
