import { HingeError, type Finding } from '@hinge/core';
import { z } from 'zod';
import type { Role } from './auth';
import { currentUser, type SignedIn } from './session';

/** An error that the person is told as it stands. */
export class Told extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly more: Record<string, unknown> = {},
  ) {
    super(message);
  }
}

export interface ErrorBody {
  readonly message: string;
  readonly finding?: Finding;
}

type Context<P> = { params: Promise<P> };

/**
 * Wraps a JSON route: signed in, allowed, from our own pages. Cookies are SameSite=Lax; a POST whose Origin is another
 * host is refused besides (OWASP CSRF cheat sheet, "verifying origin").
 */
export function jsonRoute<P, B = undefined>(
  roles: readonly Role[],
  schema: z.ZodType<B> | undefined,
  run: (args: { user: SignedIn; params: P; body: B; request: Request }) => Promise<unknown>,
) {
  return async (request: Request, context: Context<P>): Promise<Response> => {
    try {
      const user = await currentUser();
      if (!user) throw new Told(401, 'Sign in again; your session has ended.');
      if (!roles.includes(user.role))
        throw new Told(403, `This needs the role ${roles.join(' or ')}; you are signed in as ${user.role}.`);
      if (request.method !== 'GET') checkOrigin(request);
      const body = schema ? await readBody(request, schema) : (undefined as B);
      const out = await run({ user, params: await context.params, body, request });
      return out instanceof Response ? out : Response.json(out ?? {});
    } catch (error) {
      return errorReply(error);
    }
  };
}

/** @throws Told 403 */
export function checkOrigin(request: Request): void {
  const origin = request.headers.get('origin');
  const host = request.headers.get('host');
  // "null" is what a page without an origin says of itself (Fetch §3.2).
  if (!origin || URL.parse(origin)?.host !== host) throw new Told(403, 'The request does not come from this studio.');
}

/** A number in a path. */
export function numberOf(text: string): number {
  if (!/^[1-9]\d{0,8}$/.test(text)) throw new Told(404, 'There is nothing under this number.');
  return Number(text);
}

const BODY_LIMIT = 24 * 1024 * 1024;

/** The body as text, measured while it is read: one that is sent in chunks says nothing of its length before. `most` in bytes. */
export async function boundedText(request: Request, most: number): Promise<string> {
  const tooLarge = () => new Told(413, `That is more than ${Math.round(most / 1024 / 1024)} MB.`);
  if (Number(request.headers.get('content-length') ?? 0) > most) throw tooLarge();
  if (!request.body) return '';
  const reader = request.body.getReader();
  const chunks: Uint8Array[] = [];
  let size = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    size += value.byteLength;
    if (size > most) {
      await reader.cancel().catch(() => undefined);
      throw tooLarge();
    }
    chunks.push(value);
  }
  return new TextDecoder().decode(Buffer.concat(chunks));
}

async function readBody<B>(request: Request, schema: z.ZodType<B>): Promise<B> {
  const text = await boundedText(request, BODY_LIMIT);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Told(400, 'The request is not JSON.');
  }
  const parsed = schema.safeParse(value);
  if (!parsed.success) throw new Told(400, z.prettifyError(parsed.error));
  return parsed.data;
}

export function errorReply(error: unknown): Response {
  if (error instanceof Told) return Response.json({ message: error.message, ...error.more }, { status: error.status });
  if (error instanceof HingeError)
    return Response.json({ message: error.finding.message, finding: error.finding } satisfies ErrorBody, {
      status: 422,
    });
  console.error(error);
  return Response.json({ message: 'The studio failed; its log says why.' } satisfies ErrorBody, { status: 500 });
}
