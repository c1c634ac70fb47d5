import { z } from 'zod';

export const schemaGuardSchema = z.strictObject({
  kind: z
    .literal('schema')
    .describe('Parameters and body must fit the contract of the operation; all faults are told at once'),
  off: z.boolean().optional(),
});
export type SchemaGuardDocument = z.infer<typeof schemaGuardSchema>;
