import { z } from 'zod';

export const sizeGuardSchema = z.strictObject({
  kind: z.literal('size').describe('The request body may have at most this many bytes'),
  off: z.boolean().optional(),
  maxBytes: z
    .int()
    .min(0)
    .max(1024 * 1024 * 1024),
});
export type SizeGuardDocument = z.infer<typeof sizeGuardSchema>;
