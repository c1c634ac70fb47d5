import { Body } from '../../message/body';
import type { Message } from '../../message/message';
import type { GuardKind } from '../kind';
import type { CorsGuardDocument } from './schema';

const EXPOSED = ['RateLimit', 'RateLimit-Policy', 'Retry-After', 'Cache-Status', 'Traceresponse', 'Link'];

/** Says which pages may read the reply. It refuses nobody: what a browser may not read it does not show (Fetch §3.3). */
export const corsGuard: GuardKind<CorsGuardDocument> = {
  kind: 'cors',
  words: 'lets pages of other origins call',
  compile(guard) {
    return ({ run }) => {
      const origin = run.message.headers.origin;
      const allowed = allowedOrigin(guard, origin);
      // The reply depends on the origin, also where it is not let in.
      if (!guard.origins.includes('*') || guard.credentials) run.replyHeaders.vary = 'Origin';
      if (allowed === undefined) return;
      Object.assign(run.replyHeaders, {
        ...originHeaders(guard, allowed),
        'access-control-expose-headers': [...EXPOSED, ...(guard.expose ?? [])].join(', '),
      });
    };
  },
};

function allowedOrigin(guard: CorsGuardDocument, origin: string | undefined): string | undefined {
  if (origin === undefined) return undefined;
  if (guard.origins.includes(origin)) return origin;
  if (!guard.origins.includes('*')) return undefined;
  // With credentials a browser takes no *: the origin itself must stand there.
  return guard.credentials ? origin : '*';
}

const originHeaders = (guard: CorsGuardDocument, origin: string): Record<string, string> => ({
  'access-control-allow-origin': origin,
  ...(guard.credentials && { 'access-control-allow-credentials': 'true' }),
});

/** The answer to a preflight (Fetch §3.3.2, CORS-preflight request): 204 either way; without the fields the browser does not send the request. */
export function preflight(
  guard: CorsGuardDocument,
  headers: Readonly<Record<string, string>>,
  methods: readonly string[],
): Message {
  const allowed = allowedOrigin(guard, headers.origin);
  const vary = 'Origin, Access-Control-Request-Method, Access-Control-Request-Headers';
  if (allowed === undefined) return { status: 204, headers: { vary }, body: Body.empty() };
  const asked = headers['access-control-request-headers'];
  const may = guard.headers?.join(', ') ?? asked;
  return {
    status: 204,
    headers: {
      vary,
      ...originHeaders(guard, allowed),
      'access-control-allow-methods': methods.join(', '),
      ...(may !== undefined && { 'access-control-allow-headers': may }),
      'access-control-max-age': String(guard.maxAgeSeconds ?? 600),
    },
    body: Body.empty(),
  };
}
