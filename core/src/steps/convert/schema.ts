import { z } from 'zod';
import { stepBase } from '../base';

export const convertSchema = z.strictObject({
  kind: z.literal('convert'),
  ...stepBase,
  to: z
    .enum(['json', 'xml', 'form', 'multipart', 'csv'])
    .describe('The form that the body gets; the one it has is told by its content type'),
  root: z
    .string()
    .regex(/^[A-Za-z_][A-Za-z0-9._-]*(:[A-Za-z_][A-Za-z0-9._-]*)?$/, 'must be a name that XML allows')
    .optional()
    .describe('Name of the root element, where the value gives none; "root" when absent'),
  by: z
    .enum(['schema', 'settings'])
    .optional()
    .describe(
      'schema: the type named here, else the one that the message came with; settings: the general form. When absent, by a schema where there is one',
    ),
  type: z.string().min(1).optional().describe('A type of this document that says what the body is, in both forms'),
  settings: z
    .strictObject({
      attribute: z.string().min(1).max(10).optional().describe('Mark in front of attributes; @ when absent'),
      text: z.string().min(1).max(40).optional().describe('Member for text beside attributes; #text when absent'),
      lists: z.array(z.string()).optional().describe('Elements that are lists also when they stand once'),
      typed: z.boolean().optional().describe('Numbers, true and false become JSON numbers and booleans'),
      keepCdata: z.boolean().optional().describe('CDATA sections stay apart from text'),
      dropNamespaces: z.boolean().optional().describe('Prefixes and namespace declarations are left out'),
      delimiter: z.string().length(1).optional().describe('Between the cells of CSV; a comma when absent'),
      header: z.boolean().optional().describe('The first line of CSV names the columns; true when absent'),
    })
    .optional(),
});
export type ConvertDocument = z.infer<typeof convertSchema>;
