import { z } from 'zod';
import { perSchema } from '../per';

export const rateGuardSchema = z.strictObject({
  kind: z.literal('rate').describe('At most so many calls in any window of so many seconds'),
  off: z.boolean().optional(),
  calls: z.int().min(1).max(100_000),
  seconds: z.number().min(0.1).max(86_400),
  per: perSchema,
});
export type RateGuardDocument = z.infer<typeof rateGuardSchema>;
