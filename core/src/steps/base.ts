import { z } from 'zod';

/** Members that every step has. */
export const stepBase = {
  name: z
    .string()
    .regex(/^[A-Za-z_][A-Za-z0-9_ -]{0,99}$/)
    .optional()
    .describe('The message after a named step can be read as steps.NAME'),
  note: z.string().max(2000).optional(),
  off: z.boolean().optional().describe('true: the step is passed over'),
};
