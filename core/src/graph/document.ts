import { z } from 'zod';
import { slug } from '../flow/slug';
import { GuardSchema } from '../guards/schemas';

/** What a document says of its graph. */
export const graphSchema = z
  .strictObject({
    backend: slug
      .optional()
      .describe('GraphQL backend that answers: queries are checked here by its contract, and passed on'),
    subscriptions: z
      .strictObject({
        by: z.enum(['sse', 'websocket']),
        path: z
          .string()
          .regex(/^\/[^\s#]*$/, 'must start with /')
          .optional()
          .describe('Path and query for them, in place of those of the address of the backend'),
      })
      .optional()
      .describe('How subscriptions are passed on to the backend; by Server-Sent Events when absent'),
    joins: z
      .array(
        z.strictObject({
          type: z.string().min(1).describe('Type of this document that gets the field'),
          field: z.string().regex(/^[A-Za-z][A-Za-z0-9_]*$/),
          operation: slug.describe('Safe operation that resolves it'),
          with: z
            .record(z.string(), z.string())
            .describe('Its parameters, each from a property of the type, or by a pointer into it (RFC 6901)'),
          list: z
            .strictObject({
              by: z.string().min(1).describe('Property of an item that has the value which was asked for'),
              items: z
                .string()
                .regex(/^\//, 'must be a JSON Pointer')
                .optional()
                .describe('Where the list stands in the reply (RFC 6901); the reply itself when absent'),
              all: z.boolean().optional().describe('true: every item that has the value; otherwise the first'),
              most: z.int().min(1).max(1000).optional().describe('Values of one call; 100 when absent'),
            })
            .optional()
            .describe(
              'The operation answers a list and has a parameter that takes many values: what a query looks up is asked for together',
            ),
        }),
      )
      .max(500)
      .optional(),
    sample: z.string().max(50_000).optional().describe('A query to try the graph with'),
    queries: z
      .record(slug, z.string().min(1).max(50_000))
      .optional()
      .describe('Queries that callers may name by documentId: by this name, or by sha256: and the SHA-256 of the text'),
    costs: z
      .record(slug, z.number().min(0).max(1_000_000))
      .optional()
      .describe('What one call of an operation costs; 1 for those that are not named'),
    fields: z
      .record(
        z.string().regex(/^[_A-Za-z][_0-9A-Za-z]*\.[_A-Za-z][_0-9A-Za-z]*$/, 'must be Type.field'),
        z.strictObject({ guards: z.array(GuardSchema).min(1) }),
      )
      .optional()
      .describe(
        'Guards of single fields, as Type.field: a request that names one is let in by them, or refused as a whole',
      ),
    onlyQueries: z.boolean().optional().describe('true: no other query is answered'),
    limits: z
      .strictObject({
        depth: z.int().min(1).max(100).optional().describe('Nesting of fields; 15 when absent'),
        fields: z.int().min(1).max(10_000).optional().describe('Fields of one query in all; 500 when absent'),
        cost: z
          .int()
          .min(1)
          .max(1_000_000)
          .optional()
          .describe('Calls that a query may cause, each by its cost; 1000 when absent'),
        listSize: z
          .int()
          .min(1)
          .max(10_000)
          .optional()
          .describe('Items that a list counts for where no argument limits it; 10 when absent'),
        introspection: z.boolean().optional().describe('false: __schema and __type are refused'),
      })
      .optional(),
  })
  .describe('How doors that answer graphql join the operations');
