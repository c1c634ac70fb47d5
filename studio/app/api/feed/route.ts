import { gatewayOf, openFeed } from '../../../features/gateways/server';

export const dynamic = 'force-dynamic';

export async function GET(request: Request): Promise<Response> {
  const gateway = await gatewayOf(request);
  if (!gateway)
    return Response.json(
      { message: 'The token is not known.' },
      { status: 401, headers: { 'www-authenticate': 'Bearer' } },
    );
  const stream = await openFeed(gateway, request.signal);
  return new Response(stream, {
    headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-cache, no-transform' },
  });
}
