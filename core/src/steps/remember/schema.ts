import { z } from 'zod';
import { stepBase } from '../base';
import { conditionSchema } from '../condition';
import { nestedFlow } from '../nested';

export const rememberSchema = z.strictObject({
  kind: z.literal('remember'),
  ...stepBase,
  seconds: z
    .union([z.number().min(0).max(31_536_000), z.string().min(1).max(20_000)])
    .describe('How long, in seconds; a number or JSONata. 0 or nothing: not remembered'),
  key: z
    .array(z.string().min(1).max(20_000))
    .max(20)
    .optional()
    .describe('What tells two requests apart, each a JSONata expression; path and query parameters when absent'),
  shared: z.boolean().optional().describe('true: apps share what is remembered; otherwise each app has its own'),
  staleWhileSeconds: z
    .number()
    .min(0)
    .max(31_536_000)
    .optional()
    .describe(
      'For so long behind its end the old result is given at once, while it is fetched anew (stale-while-revalidate, RFC 5861 §3)',
    ),
  staleOnErrorSeconds: z
    .number()
    .min(0)
    .max(31_536_000)
    .optional()
    .describe(
      'For so long behind its end the old result is given when the steps fail by a backend (stale-if-error, RFC 5861 §4)',
    ),
  obey: z
    .boolean()
    .optional()
    .describe(
      'true: what the reply says of itself counts, by the rules for shared caches (RFC 9111); seconds is the most',
    ),
  tags: z
    .array(z.string().min(1).max(20_000))
    .max(20)
    .optional()
    .describe('JSONata of the result; what is remembered under a tag can be forgotten by it'),
  notIf: conditionSchema.optional().describe('A result for which this holds is not kept; failures never are'),
  flow: nestedFlow.describe('The steps whose result is remembered'),
});
export type RememberDocument = z.infer<typeof rememberSchema>;
