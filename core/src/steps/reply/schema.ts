import { z } from 'zod';
import { stepBase } from '../base';

export const replySchema = z.strictObject({
  kind: z.literal('reply'),
  ...stepBase,
  status: z.int().min(200).max(599).optional().describe('That of the example, else of the operation, when absent'),
  headers: z.record(z.string(), z.string()).optional().describe('Values may hold {{ }}'),
  mediaType: z.string().optional(),
  body: z.unknown().optional().describe('JSON value, or text for other media types'),
  from: z.string().max(20_000).optional().describe('JSONata for the body, instead of body'),
  template: z.string().max(1_000_000).optional().describe('Text with {{ JSONata }}, instead of body'),
  example: z
    .string()
    .min(1)
    .optional()
    .describe(
      'Name of an example of the operation; auto: the first whose condition holds, else the first, else one made from the schema',
    ),
});
export type ReplyDocument = z.infer<typeof replySchema>;
