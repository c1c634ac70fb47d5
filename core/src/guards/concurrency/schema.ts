import { z } from 'zod';
import { perSchema } from '../per';

export const concurrencyGuardSchema = z.strictObject({
  kind: z.literal('concurrency').describe('At most so many calls at the same time'),
  off: z.boolean().optional(),
  calls: z.int().min(1).max(10_000),
  per: perSchema,
});
export type ConcurrencyGuardDocument = z.infer<typeof concurrencyGuardSchema>;
