import { z } from 'zod';
import { stepBase } from '../base';
import { nestedFlow } from '../nested';

/** What a line or an item that failed leaves behind. */
export const onFailure = {
  onFailure: z
    .enum(['fail', 'leaveOut', 'default'])
    .optional()
    .describe('fail (when absent): the whole step fails; leaveOut: nothing stands for it; default: this value does'),
  default: z.unknown().optional().describe('JSON value that stands for a failure, with onFailure: default'),
};

export const gatherSchema = z.strictObject({
  kind: z.literal('gather'),
  ...stepBase,
  lines: z
    .array(
      z.strictObject({
        name: z
          .string()
          .regex(/^[A-Za-z_][A-Za-z0-9_]{0,99}$/)
          .describe('The result is read as body.NAME, the whole message as steps.NAME'),
        flow: nestedFlow,
        ...onFailure,
      }),
    )
    .min(1)
    .max(50)
    .describe('Lines that run at the same time, each with the message as it is before this step'),
  timeoutMs: z.int().min(1).max(600_000).optional().describe('A line that takes longer has failed'),
});
export type GatherDocument = z.infer<typeof gatherSchema>;
