import { z } from 'zod';

export const rateGuardSchema = z.strictObject({
  kind: z.literal('rate').describe('At most so many calls in any window of so many seconds'),
  off: z.boolean().optional(),
  calls: z.int().min(1).max(100_000),
  seconds: z.number().min(0.1).max(86_400),
  per: z
    .union([
      z.enum(['app', 'address', 'operation', 'door']),
      z.strictObject({ expression: z.string().min(1).max(20_000) }),
    ])
    .optional()
    .describe('What is counted apart; app when absent, and the address of the caller where no app is known'),
});
export type RateGuardDocument = z.infer<typeof rateGuardSchema>;
