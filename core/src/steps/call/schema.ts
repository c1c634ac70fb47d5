import { z } from 'zod';
import { stepBase } from '../base';

export const callSchema = z.strictObject({
  kind: z.literal('call'),
  ...stepBase,
  backend: z.string(),
  operation: z
    .string()
    .optional()
    .describe('Operation of the backend contract; absent: method, path, query, headers and body go on as they came'),
  timeoutMs: z
    .int()
    .min(1)
    .max(600_000)
    .optional()
    .describe('Time limit in milliseconds; the one of the backend when absent'),
  faults: z
    .record(z.string(), z.strictObject({ status: z.int().min(400).max(599), title: z.string().optional() }))
    .optional()
    .describe('HTTP status by name of a declared fault; otherwise 400 for faults of the sender and 502 for the rest'),
});
export type CallDocument = z.infer<typeof callSchema>;
