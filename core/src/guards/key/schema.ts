import { z } from 'zod';

export const keyGuardSchema = z
  .strictObject({
    kind: z.literal('key').describe('A key of an app'),
    off: z.boolean().optional(),
    header: z
      .string()
      .regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/, 'must be a header name')
      .optional()
      .describe('Header that carries it; X-API-Key when neither is given'),
    query: z.string().min(1).optional().describe('Query parameter that carries it'),
  })
  .describe('Apps and the SHA-256 of their keys stand under apps');
export type KeyGuardDocument = z.infer<typeof keyGuardSchema>;
