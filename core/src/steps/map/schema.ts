import { z } from 'zod';
import { stepBase } from '../base';

const pointer = z
  .string()
  .regex(
    /^\/(body|headers|cookies|soapHeader|query|path|status)(\/.*)?$/,
    'must be a pointer that starts with /body, /headers, /cookies, /soapHeader, /query, /path or /status',
  );

export const mapSchema = z.strictObject({
  kind: z.literal('map'),
  ...stepBase,
  to: z
    .union([
      z.literal('reply'),
      z.literal('request'),
      z.strictObject({
        backend: z.string().optional(),
        api: z.string().optional(),
        operation: z.string(),
        mediaType: z
          .string()
          .optional()
          .describe(
            'Which of several bodies the operation gets; when absent the one that the caller sent, else the first',
          ),
      }),
    ])
    .describe(
      "What the map makes: the reply to the caller, the caller's request in another shape, the request of a backend operation, or of an operation in the gateway (no backend)",
    ),
  fields: z
    .array(
      z.strictObject({
        to: pointer.describe('Target, e.g. /body/stay/from'),
        from: z.string().min(1).max(20_000).describe('JSONata'),
      }),
    )
    .optional(),
  whole: z.string().min(1).max(100_000).optional().describe('JSONata for the whole body; fields are laid over it'),
});
export type MapDocument = z.infer<typeof mapSchema>;
