import { createHmac, timingSafeEqual } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { readText, takeBehaviour, type Behaviour } from '../behaviour';

/** What subscribers tell the hub, and what signatures are checked with. */
export const RECEIVER_SECRET = 'tide-table';

/** One call of the receiver. */
export interface Received {
  /** ISO 8601. */
  readonly at: string;
  readonly path: string;
  /** The HMAC of the body was right (WebSub §7.1). */
  readonly signed: boolean;
  /** Status that it was answered with. */
  readonly status: number;
  readonly topic?: string;
  readonly body: string;
}

export interface StandInReceiver {
  readonly port: number;
  readonly received: readonly Received[];
  readonly behaviour: Behaviour;
  stop(): Promise<void>;
}

const KEPT = 200;

/**
 * The agents' receiver of webhooks: gives challenges back, checks signatures, shows what came at /received. Told to be down it answers 503, slow it takes its time
 * (POST /_behave).
 */
export async function startReceiver(port = 0): Promise<StandInReceiver> {
  const behaviour: Behaviour = { mode: 'normal', delayMs: 0 };
  const received: Received[] = [];
  const answer = (res: ServerResponse, status: number, value: unknown) => {
    res.writeHead(status, { 'content-type': 'application/json' });
    res.end(JSON.stringify(value));
  };
  const take = async (req: IncomingMessage, res: ServerResponse): Promise<void> => {
    if (await takeBehaviour(req, res, behaviour)) return;
    const url = new URL(req.url ?? '/', 'http://receiver');
    const challenge = url.searchParams.get('hub.challenge');
    if (req.method === 'GET' && url.pathname === '/received') return answer(res, 200, received);
    if (req.method === 'DELETE' && url.pathname === '/received') {
      received.length = 0;
      return answer(res, 200, []);
    }
    if (!url.pathname.startsWith('/hooks/'))
      return answer(res, 404, { error: 'hooks are below /hooks/, what came is at /received' });
    if (req.method === 'GET' && challenge !== null) {
      res.writeHead(200, { 'content-type': 'text/plain' });
      res.end(challenge);
      return;
    }
    const body = await readText(req);
    if (behaviour.delayMs) await new Promise((resolve) => setTimeout(resolve, behaviour.delayMs));
    const signed = isSigned(body, req.headers['x-hub-signature'] as string | undefined);
    const status = behaviour.mode === 'down' ? 503 : signed ? 204 : 403;
    const topic = /<([^>]*)>; rel="self"/.exec(String(req.headers.link ?? ''))?.[1];
    received.push({ at: new Date().toISOString(), path: url.pathname, signed, status, ...(topic && { topic }), body });
    if (received.length > KEPT) received.shift();
    res.writeHead(status).end();
  };
  const server = createServer((req, res) => {
    take(req, res).catch((error: Error) => answer(res, 400, { error: error.message }));
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  return {
    port: (server.address() as AddressInfo).port,
    received,
    behaviour,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

function isSigned(body: string, header: string | undefined): boolean {
  const given = Buffer.from(/^sha256=([0-9a-f]{64})$/.exec(header ?? '')?.[1] ?? '', 'hex');
  const own = createHmac('sha256', RECEIVER_SECRET).update(body).digest();
  return given.length === own.length && timingSafeEqual(given, own);
}
