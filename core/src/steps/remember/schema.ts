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
  notIf: conditionSchema.optional().describe('A result for which this holds is not kept; failures never are'),
  flow: nestedFlow.describe('The steps whose result is remembered'),
});
export type RememberDocument = z.infer<typeof rememberSchema>;
