import { z } from 'zod';
import { stepBase } from '../base';
import { onFailure } from '../gather/schema';
import { nestedFlow } from '../nested';

export const eachSchema = z.strictObject({
  kind: z.literal('each'),
  ...stepBase,
  items: z.string().min(1).max(20_000).describe('JSONata for the list, e.g. body.reservations'),
  as: z
    .string()
    .regex(/^[A-Za-z_][A-Za-z0-9_]{0,99}$/)
    .optional()
    .describe('Variable that holds the item, vars.item when absent; vars.index counts from 0'),
  atOnce: z.int().min(1).max(100).optional().describe('How many items run at the same time; 5 when absent'),
  most: z.int().min(1).max(10_000).optional().describe('A longer list is refused; 1000 when absent'),
  flow: nestedFlow.describe('Runs for every item, with the item as its message'),
  ...onFailure,
});
export type EachDocument = z.infer<typeof eachSchema>;
