import { z } from 'zod';
import { stepBase } from '../base';

export const setSchema = z.strictObject({
  kind: z.literal('set'),
  ...stepBase,
  values: z
    .record(z.string().regex(/^[A-Za-z_][A-Za-z0-9_]*$/), z.string().min(1).max(20_000))
    .describe('Variables, read later as vars.NAME; each a JSONata expression'),
});
export type SetDocument = z.infer<typeof setSchema>;
