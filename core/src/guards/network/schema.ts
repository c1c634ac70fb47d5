import ipaddr from 'ipaddr.js';
import { z } from 'zod';

const WORDS = 'must be an address or a range such as 10.0.0.0/8';
const range = z
  .string()
  .regex(/^[0-9A-Fa-f.:]+(\/\d{1,3})?$/, WORDS)
  .refine((text) => ipaddr.isValid(text) || ipaddr.isValidCIDR(text), WORDS);

export const networkGuardSchema = z.strictObject({
  kind: z.literal('network').describe('Only callers from these networks'),
  off: z.boolean().optional(),
  allow: z.array(range).max(1000).optional().describe('Addresses and ranges that may come in; all when absent'),
  deny: z.array(range).max(1000).optional().describe('Addresses and ranges that may not, also when they are allowed'),
});
export type NetworkGuardDocument = z.infer<typeof networkGuardSchema>;
