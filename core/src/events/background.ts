import { z } from 'zod';

const slug = z.string().min(1).max(200);
const expression = z.string().min(1).max(20_000);

/** What a gateway does without being asked: events into operations, and operations into events. */
export const consumersSchema = z
  .record(
    slug,
    z.strictObject({
      topic: slug.describe('Name under topics'),
      operation: slug.describe(
        'Operation that each event runs, its data as body, parameters of its path by those of the topic; it needs no path of a door',
      ),
      where: expression
        .optional()
        .describe('Only events for which this holds; names are body, event, parameters and headers'),
      attempts: z.int().min(1).max(20).optional().describe('Tries before an event is laid aside; 8 when absent'),
      dead: slug.optional().describe('Topic that gets the events that no try could use'),
      off: z.boolean().optional(),
    }),
  )
  .describe(
    'Events that run operations: each in its order, again after a failure, confirmed to the broker when it is done',
  );

export const pollsSchema = z
  .record(
    slug,
    z.strictObject({
      operation: slug.describe('Operation that is called again and again; it must be safe and need nothing'),
      everySeconds: z.number().min(1).max(86_400),
      items: expression.optional().describe('Things in the reply; the body itself when absent'),
      key: expression.optional().describe('What tells one thing from another; its place in the list when absent'),
      version: expression.optional().describe('What changes when a thing does; the whole thing when absent'),
      topic: slug.describe('Topic that gets each thing that is new or changed'),
      parameters: z
        .record(z.string(), expression)
        .optional()
        .describe('For each parameter of the address of the topic, made of the thing'),
      first: z
        .enum(['quiet', 'all'])
        .optional()
        .describe('all: what the first call finds are events too; quiet when absent'),
      off: z.boolean().optional(),
    }),
  )
  .describe('Operations whose changes are events');

export type ConsumerDocument = z.infer<typeof consumersSchema>[string];
export type PollDocument = z.infer<typeof pollsSchema>[string];

export const BACKGROUND_LIMITS = {
  attempts: 8,
  /** Wait after the first failure in milliseconds; it doubles up to the longest. */
  firstWaitMs: 500,
  longestWaitMs: 60_000,
  /** Things of one poll that are known by their versions. */
  things: 50_000,
} as const;
