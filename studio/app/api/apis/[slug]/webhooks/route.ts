import { z } from 'zod';
import { hub } from '../../../../../features/gateways/hub';
import { READERS } from '../../../../../lib/auth';
import { jsonRoute, Told } from '../../../../../lib/route';

type Where = { slug: string };
const WAIT_MS = 5_000;
const away = (error: Error): never => {
  throw new Told(503, `${error.message}.`);
};

/** What goes through the topics, who is called back for an API in an environment, and what became of the deliveries, as its gateways say now. */
export const GET = jsonRoute<Where>(READERS, undefined, async ({ params, request }) => {
  const environment = new URL(request.url).searchParams.get('in') ?? '';
  const all = await hub().webhooks(environment, params.slug, WAIT_MS).catch(away);
  return {
    subscriptions: all.flatMap(({ gateway, told }) => (told.subscriptions ?? []).map((s) => ({ ...s, gateway }))),
    deliveries: all.flatMap(({ gateway, told }) => (told.deliveries ?? []).map((d) => ({ ...d, gateway }))),
    rates: all.flatMap(({ gateway, told }) => (told.rates ?? []).map((r) => ({ ...r, gateway }))),
  };
});

const body = z.object({ gateway: z.string().max(200), delivery: z.string().max(100) });

/** Sends an event again that was laid aside. */
export const POST = jsonRoute<Where, z.infer<typeof body>>(['designer', 'operator'], body, async ({ body: b }) => {
  const done = await hub().resend(b.gateway, b.delivery, WAIT_MS).catch(away);
  if (!done) throw new Told(409, 'This event is not laid aside any more.');
  return {};
});
