import {
  allowInsecureRequests,
  ClientSecretBasic,
  ClientSecretPost,
  clientCredentialsGrantRequest,
  customFetch,
  processClientCredentialsResponse,
  ResponseBodyError,
} from 'oauth4webapi';
import type { Backends } from '../flow/ports';
import { Body } from '../message/body';
import type { CredentialDocument } from './schema';

type Client = Extract<CredentialDocument, { kind: 'client' }>;

interface Kept {
  readonly token: Promise<string>;
  /** Date.now() from which on it is not used any more; known once it is here. */
  until: number;
  value?: string;
}

const FETCH_MS = 10_000;
/** A token whose end nobody says (RFC 6749 §5.1: expires_in is only recommended) is used this long. */
const UNSAID_SECONDS = 300;
/** It must still live when it arrives. */
const MARGIN_SECONDS = 10;
const MOST = 1_000;

/** Tokens by issuer, client, secret and scopes, for each way to the world; one flight for many calls. */
const kept = new WeakMap<Backends, Map<string, Kept>>();

const keyOf = (c: Client, secret: string): string =>
  JSON.stringify([c.tokenUrl, c.clientId, secret, c.scopes, c.audience, c.send]);

/** The token to use now. Rejects with the words of what went wrong; no secret is in them. */
export function tokenFor(client: Client, secret: string, backends: Backends, name: string): Promise<string> {
  let tokens = kept.get(backends);
  if (!tokens) kept.set(backends, (tokens = new Map()));
  const key = keyOf(client, secret);
  const have = tokens.get(key);
  if (have && Date.now() < have.until) return have.token;
  const entry: Kept = {
    token: fetchToken(client, secret, backends, name, (until) => (entry.until = until)),
    until: Infinity,
  };
  if (tokens.size >= MOST) tokens.clear();
  tokens.set(key, entry);
  entry.token.then(
    (value) => (entry.value = value),
    () => tokens.get(key) === entry && tokens.delete(key),
  );
  return entry.token;
}

/** The backend took it no more: the next call fetches another. One that was fetched meanwhile stays, so that many refusals at once fetch one. */
export function dropToken(client: Client, secret: string, backends: Backends, refused: string | undefined): void {
  const tokens = kept.get(backends);
  const key = keyOf(client, secret);
  const now = tokens?.get(key);
  if (now?.value !== undefined && refused === `Bearer ${now.value}`) tokens!.delete(key);
}

async function fetchToken(
  client: Client,
  secret: string,
  backends: Backends,
  name: string,
  lives: (until: number) => void,
): Promise<string> {
  const server = { issuer: client.tokenUrl, token_endpoint: client.tokenUrl };
  const known = { client_id: client.clientId };
  const parameters = new URLSearchParams();
  if (client.scopes?.length) parameters.set('scope', client.scopes.join(' '));
  if (client.audience !== undefined) parameters.set('audience', client.audience);
  const proof = client.send === 'body' ? ClientSecretPost(secret) : ClientSecretBasic(secret);
  const began = Date.now();
  try {
    const reply = await clientCredentialsGrantRequest(server, known, proof, parameters, {
      // Addresses come from the document; a stand-in on loopback has no TLS.
      [allowInsecureRequests]: true,
      [customFetch]: (url, init) => fetchBy(backends, name, url, init),
    });
    const answer = await processClientCredentialsResponse(server, known, reply);
    const seconds = answer.expires_in ?? UNSAID_SECONDS;
    lives(began + Math.max(1, seconds - Math.min(MARGIN_SECONDS, seconds / 10)) * 1000);
    return answer.access_token;
  } catch (error) {
    if (error instanceof ResponseBodyError)
      throw new Error(`the issuer answered ${error.status}: ${error.error}`, { cause: error });
    throw new Error(`no token from ${new URL(client.tokenUrl).origin}: ${(error as Error).message}`, { cause: error });
  }
}

async function fetchBy(
  backends: Backends,
  backend: string,
  url: string,
  init: { method: string; headers: Record<string, string>; body: URLSearchParams },
): Promise<Response> {
  const reply = await backends.send({
    backend,
    url,
    method: init.method,
    headers: Object.fromEntries(Object.entries(init.headers).map(([n, v]) => [n.toLowerCase(), v])),
    body: Body.ofText(init.body.toString(), 'application/x-www-form-urlencoded'),
    timeoutMs: FETCH_MS,
  });
  await reply.body.load();
  const bytes = reply.body.bytes();
  return new Response(new Uint8Array(bytes), { status: reply.status, headers: { ...reply.headers } });
}
