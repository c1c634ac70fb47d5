import { z } from 'zod';
import { stepBase } from '../base';

export const replySchema = z.strictObject({
  kind: z.literal('reply'),
  ...stepBase,
  status: z.int().min(200).max(599),
  headers: z.record(z.string(), z.string()).optional(),
  mediaType: z.string().optional(),
  body: z.unknown().optional().describe('JSON value, or text for other media types'),
  from: z.string().max(20_000).optional().describe('JSONata for the body, instead of body'),
});
export type ReplyDocument = z.infer<typeof replySchema>;
