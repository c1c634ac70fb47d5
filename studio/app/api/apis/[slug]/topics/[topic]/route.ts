import { z } from 'zod';
import { callerKey, streamOn, unreachable } from '../../../../../../features/topics/pass-on';
import { topicAddress } from '../../../../../../features/topics/server';
import { READERS } from '../../../../../../lib/auth';
import { jsonRoute } from '../../../../../../lib/route';

type Where = { slug: string; topic: string };

/** Events of a topic as the gateway streams them: the studio passes them on, so that a page need not know the gateway. */
export const GET = jsonRoute<Where>(READERS, undefined, async ({ params, request }) => {
  const { searchParams } = new URL(request.url);
  const values = Object.fromEntries(
    [...searchParams].flatMap(([name, v]) => (name.startsWith('value.') ? [[name.slice('value.'.length), v]] : [])),
  );
  return streamOn(request, await topicAddress(params.slug, params.topic, searchParams.get('in') ?? '', values));
});

const body = z.object({
  in: z.string(),
  values: z.record(z.string(), z.string().max(200)).optional(),
  text: z.string().max(1_000_000),
  mediaType: z.string(),
  key: z.string().optional(),
});

/** Publishes one event as a caller would, and tells what the gateway answered. */
export const POST = jsonRoute<Where, z.infer<typeof body>>(
  ['designer', 'operator'],
  body,
  async ({ params, body: b }) => {
    const address = await topicAddress(params.slug, params.topic, b.in, b.values);
    const reply = await fetch(address, {
      method: 'POST',
      headers: { 'content-type': b.mediaType, ...callerKey(b.key) },
      body: b.text,
      signal: AbortSignal.timeout(15_000),
    }).catch(unreachable);
    return { status: reply.status, text: await reply.text() };
  },
);
