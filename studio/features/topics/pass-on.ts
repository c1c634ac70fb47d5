import { Told } from '../../lib/route';

/** What the page sent as the key of an app, as a caller sends it. */
export const callerKey = (value: string | null | undefined): Record<string, string> =>
  value ? { 'x-api-key': value } : {};

export const unreachable = (error: unknown): never => {
  if (error instanceof Told) throw error;
  throw new Told(502, 'The gateway cannot be reached now.');
};

/** A stream of the gateway for the page: until either side ends it. */
export async function streamOn(request: Request, address: string, body?: string): Promise<Response> {
  const reply = await fetch(address, {
    headers: {
      accept: 'text/event-stream',
      ...callerKey(request.headers.get('x-caller-key')),
      ...(body !== undefined && { 'content-type': 'application/json' }),
    },
    ...(body !== undefined && { method: 'POST', body }),
    signal: request.signal,
  }).catch(unreachable);
  return new Response(reply.body, {
    status: reply.status,
    headers: {
      'content-type': reply.headers.get('content-type') ?? 'text/plain',
      'cache-control': 'no-cache, no-transform',
    },
  });
}
