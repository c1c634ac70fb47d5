import { IANAZone } from 'luxon';
import { z } from 'zod';
import { perSchema } from '../per';

export const quotaGuardSchema = z.strictObject({
  kind: z.literal('quota').describe('At most so many calls in each hour, day, week or month of the calendar'),
  off: z.boolean().optional(),
  calls: z.int().min(1).max(1_000_000_000),
  each: z.enum(['hour', 'day', 'week', 'month']).describe('Weeks begin on Monday (ISO 8601)'),
  zone: z
    .string()
    .max(100)
    .refine((name) => IANAZone.isValidZone(name), 'must be a time zone of the IANA database, such as Europe/Lisbon')
    .optional()
    .describe('Time zone whose calendar counts; UTC when absent'),
  per: perSchema,
});
export type QuotaGuardDocument = z.infer<typeof quotaGuardSchema>;
