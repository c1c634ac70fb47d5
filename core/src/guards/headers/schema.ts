import { z } from 'zod';

const token = z.string().regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/, 'must be a header name');

export const headersGuardSchema = z.strictObject({
  kind: z.literal('headers').describe('Rules for request headers'),
  off: z.boolean().optional(),
  need: z
    .record(token, z.array(z.string().max(500)).max(50))
    .optional()
    .describe('Headers that must be there, each with the values that it may have; any value when the list is empty'),
  refuse: z.array(token).max(100).optional().describe('Headers that must not be there'),
});
export type HeadersGuardDocument = z.infer<typeof headersGuardSchema>;
