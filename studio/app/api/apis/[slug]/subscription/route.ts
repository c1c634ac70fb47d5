import { z } from 'zod';
import { streamOn } from '../../../../../features/topics/pass-on';
import { graphAddress } from '../../../../../features/topics/server';
import { jsonRoute } from '../../../../../lib/route';

const body = z.object({
  in: z.string(),
  query: z.string().max(100_000),
  variables: z.record(z.string(), z.unknown()).optional(),
});

/** A subscription on a gateway that runs the graph, as the gateway streams it (GraphQL over SSE, distinct connections). */
export const POST = jsonRoute<{ slug: string }, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ params, request, body: b }) =>
    streamOn(
      request,
      await graphAddress(params.slug, b.in),
      JSON.stringify({ query: b.query, variables: b.variables }),
    ),
);
