import { z } from 'zod';
import { stepBase } from '../base';
import { conditionSchema } from '../condition';
import { nestedFlow } from '../nested';

export const chooseSchema = z.strictObject({
  kind: z.literal('choose'),
  ...stepBase,
  lines: z
    .array(
      z.strictObject({
        name: z.string().min(1).max(100).optional(),
        when: conditionSchema,
        flow: nestedFlow,
      }),
    )
    .min(1)
    .max(100)
    .describe('The first line whose condition holds is taken'),
  otherwise: nestedFlow.optional().describe('Taken when no condition holds; without it the message goes on as it is'),
});
export type ChooseDocument = z.infer<typeof chooseSchema>;
