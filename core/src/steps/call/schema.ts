import { z } from 'zod';
import { stepBase } from '../base';
import { conditionSchema } from '../condition';

const weight = z.int().min(0).max(1000);

export const callSchema = z.strictObject({
  kind: z.literal('call'),
  ...stepBase,
  backend: z.string().optional().describe('Absent: an operation inside the gateway is called, without a network'),
  api: z
    .string()
    .optional()
    .describe('Name of the API on the gateway, for a call without a backend; this one when absent'),
  operation: z
    .string()
    .optional()
    .describe('Operation of the contract; absent: method, path, query, headers and body go on as they came'),
  path: z
    .string()
    .regex(/^(?=\/|\{\{)(?:\{\{[^]*?\}\}|\S)*$/, 'must start with / or with {{, and have blanks within {{ }} alone')
    .max(20_000)
    .optional()
    .describe(
      'For a call without an operation: path and query at the backend. Values of {{ }} are percent-encoded for their place, once. {{ rest }} is what a wildcard took and {{ rawQuery }} the query, both as they came; where rest is used and no ? stands here, the query goes on by itself. Absent: the path below the door and the query, as they came',
    ),
  routes: z
    .array(
      z.strictObject({
        name: z.string().min(1).max(100).optional(),
        when: conditionSchema.optional().describe('The row counts when this holds; the last row has none: the default'),
        address: z
          .string()
          .min(1)
          .optional()
          .describe('http or https address, {{ }} may stand in it; the backend’s own when absent'),
        shares: z
          .array(z.strictObject({ address: z.string().min(1), weight }))
          .min(1)
          .max(20)
          .optional()
          .describe('Several addresses by weight, instead of one'),
      }),
    )
    .max(100)
    .optional()
    .describe('Where the call goes: the first row that holds'),
  timeoutMs: z
    .int()
    .min(1)
    .max(600_000)
    .optional()
    .describe('Time limit in milliseconds; the one of the backend when absent'),
  retry: z
    .strictObject({
      times: z.int().min(1).max(10).describe('How often again after the first try'),
      waitMs: z
        .int()
        .min(0)
        .max(60_000)
        .optional()
        .describe('Before the second try, doubled for each further; 100 when absent'),
      on: z
        .array(z.string().regex(/^(timeout|unreachable|unreadable|[45]\d\d|[45]XX)$/))
        .min(1)
        .optional()
        .describe('timeout, unreachable, unreadable or a status; unreachable, timeout, 502, 503 and 504 when absent'),
      unsafe: z.boolean().optional().describe('true: also requests that are not idempotent (RFC 9110 §9.2.2)'),
    })
    .optional(),
  breaker: z
    .strictObject({
      failures: z.int().min(1).max(1000).describe('So many failures …'),
      windowS: z.int().min(1).max(3600).optional().describe('… within so many seconds (30 when absent) …'),
      restS: z
        .int()
        .min(1)
        .max(3600)
        .optional()
        .describe('… and the address is left alone for so long; 10 when absent'),
    })
    .optional(),
  faults: z
    .record(z.string(), z.strictObject({ status: z.int().min(400).max(599), title: z.string().optional() }))
    .optional()
    .describe('HTTP status by name of a declared fault; otherwise 400 for faults of the sender and 502 for the rest'),
});
export type CallDocument = z.infer<typeof callSchema>;
