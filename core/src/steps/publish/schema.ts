import { z } from 'zod';
import { stepBase } from '../base';

const expression = z.string().min(1).max(20_000);

export const publishSchema = z.strictObject({
  kind: z.literal('publish'),
  ...stepBase,
  topic: z.string().min(1).max(200).describe('Name under topics'),
  parameters: z
    .record(z.string(), expression)
    .optional()
    .describe('JSONata for each parameter of the address of the topic'),
  data: expression.optional().describe('JSONata that makes the data; the body when absent'),
  id: expression.optional().describe('Id of the event; a new one when absent'),
  type: expression.optional().describe('Type of the event; the name of the topic when absent'),
  subject: expression.optional(),
  once: expression
    .optional()
    .describe('The same value within ten minutes is the same event; the header Idempotency-Key when absent'),
  answer: z
    .boolean()
    .optional()
    .describe('false: the message goes on as it was; otherwise it becomes the reply 202 with the id of the event'),
});
export type PublishDocument = z.infer<typeof publishSchema>;
