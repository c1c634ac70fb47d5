import { z } from 'zod';
import type { JsonSchema } from '../../schema';
import { stepBase } from '../base';

export const checkSchema = z.strictObject({
  kind: z.literal('check'),
  ...stepBase,
  against: z
    .union([
      z.enum(['request', 'reply']),
      z.strictObject({ type: z.string().min(1) }),
      z.strictObject({
        schema: z.looseObject({}).describe('JSON Schema 2020-12') as unknown as z.ZodType<JsonSchema>,
      }),
    ])
    .describe("The operation's own request or reply schema, a type of this document, or a schema of its own"),
});
export type CheckDocument = z.infer<typeof checkSchema>;
