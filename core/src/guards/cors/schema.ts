import { z } from 'zod';

const token = z.string().regex(/^[A-Za-z0-9!#$%&'*+.^_`|~-]+$/, 'must be a header name');

export const corsGuardSchema = z.strictObject({
  kind: z.literal('cors').describe('Pages of these origins may call (Fetch standard, CORS protocol)'),
  off: z.boolean().optional(),
  origins: z
    .array(z.string().regex(/^(\*|https?:\/\/[^/\s?#]+)$/, 'must be an origin such as https://desk.example, or *'))
    .min(1)
    .max(200),
  headers: z
    .array(token)
    .max(100)
    .optional()
    .describe('Request headers that pages may send; those asked for when absent'),
  expose: z.array(token).max(100).optional().describe('Reply headers that pages may read besides the simple ones'),
  credentials: z.boolean().optional().describe('Cookies and Authorization may be sent by the browser'),
  maxAgeSeconds: z
    .int()
    .min(0)
    .max(86_400)
    .optional()
    .describe('How long a browser may keep the answer; 600 when absent'),
});
export type CorsGuardDocument = z.infer<typeof corsGuardSchema>;
