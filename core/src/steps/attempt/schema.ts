import { z } from 'zod';
import { stepBase } from '../base';
import { conditionSchema } from '../condition';
import { nestedFlow } from '../nested';

export const attemptSchema = z.strictObject({
  kind: z.literal('attempt'),
  ...stepBase,
  flow: nestedFlow.describe('The steps that may fail'),
  failures: z
    .array(
      z.strictObject({
        on: z
          .array(
            z
              .string()
              .regex(
                /^(any|timeout|unreachable|unreadable|fault|[45]\d\d|[45]XX|[A-Za-z_][A-Za-z0-9_.-]*)$/,
                'must be any, timeout, unreachable, unreadable, fault, a status such as 503 or 5XX, or the name of a fault',
              ),
          )
          .min(1)
          .describe(
            'any, timeout, unreachable, unreadable, fault, a status (503, 5XX), or the name of a declared fault',
          ),
        when: conditionSchema
          .optional()
          .describe('Holds as well; vars.failure has status, code, reason, fault, backend'),
        flow: nestedFlow.describe('Runs instead, with the message as it was before the attempt'),
      }),
    )
    .max(50)
    .describe('The first entry that fits is taken; when none does, the failure goes on'),
});
export type AttemptDocument = z.infer<typeof attemptSchema>;
