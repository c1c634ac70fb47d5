import { NextResponse, type NextRequest } from 'next/server';

/**
 * Content security policy of every page (CSP Level 3; OWASP CSP cheat sheet, "strict policy"): scripts run by a nonce that
 * is new for each reply, none that stands in the page runs without it, and none is made of text. Styles may stand in the
 * page: the kit writes them there. Workers are our own files and have no policy of their own.
 */
export function proxy(request: NextRequest) {
  const nonce = crypto.randomUUID().replace(/-/g, '');
  const policy = [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic'`,
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data:",
    "font-src 'self' data:",
    "connect-src 'self'",
    "worker-src 'self'",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ');
  const headers = new Headers(request.headers);
  headers.set('x-nonce', nonce);
  // Next reads the nonce for its own scripts here.
  headers.set('content-security-policy', policy);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set('content-security-policy', policy);
  return response;
}

/** Pages, not what they load: `default-src` of a file that is no page means nothing. */
export const config = { matcher: [{ source: '/((?!api/|_next/static|_next/image|icon|favicon).*)' }] };
