import type { Ports } from '../flow/ports';
import { Body } from '../message/body';
import type { Headers } from '../message/headers';
import { Refusal } from '../problem';
import { dropToken, tokenFor } from './grant';
import type { CredentialDocument } from './schema';
import { withUsernameToken } from './username-token';

/** A request on its way to a backend. */
export interface Presented {
  readonly url: string;
  readonly headers: Headers;
  readonly body: Body;
}

/** What of a run is asked. */
export interface Asking {
  readonly ports: Pick<Ports, 'backends' | 'secrets'>;
  readonly environment?: string;
}

export interface Credentials {
  /** The request with what the backend knows the gateway by. Refuses where a secret is not set or no token is to be had. */
  add(run: Asking, request: Presented): Promise<Presented>;
  /** The backend answered 401: true when another try with a fresh token may help. */
  renew(run: Asking, refused: Presented): boolean;
}

/** Made once for each backend. Nothing of it is in messages, notes or traces: it is added when a request leaves. */
export function compileCredentials(
  documents: readonly CredentialDocument[] | undefined,
  backend: string,
): Credentials | undefined {
  if (!documents?.length) return undefined;
  return {
    async add(run, request) {
      let out = request;
      for (const c of documents) out = await addOne(c, secretOf(c, run, backend), out, run, backend);
      return out;
    },
    renew(run, refused) {
      let any = false;
      for (const c of documents) {
        const secret = c.kind === 'client' ? run.ports.secrets?.get(c.secret) : undefined;
        if (c.kind !== 'client' || secret === undefined) continue;
        dropToken(c, secret, run.ports.backends, refused.headers.authorization);
        any = true;
      }
      return any;
    },
  };
}

function secretOf(c: CredentialDocument, run: Asking, backend: string): string {
  const value = run.ports.secrets?.get(c.secret);
  if (value !== undefined) return value;
  const where = run.environment ? ` in ${run.environment}` : '';
  throw new Refusal('HNG-509', {
    backend,
    detail: `The gateway has no credentials for ${backend}${where}.`,
    inner: `the secret ${c.secret} is not set${where}`,
  });
}

async function addOne(
  c: CredentialDocument,
  secret: string,
  request: Presented,
  run: Asking,
  backend: string,
): Promise<Presented> {
  const header = (name: string, value: string): Presented => ({
    ...request,
    headers: { ...request.headers, [name]: value },
  });
  switch (c.kind) {
    case 'basic':
      return header('authorization', `Basic ${base64(`${c.user}:${secret}`)}`);
    case 'bearer':
      return header('authorization', `Bearer ${secret}`);
    case 'key':
      return withKey(c, secret, request);
    case 'client': {
      try {
        return header('authorization', `Bearer ${await tokenFor(c, secret, run.ports.backends, backend)}`);
      } catch (error) {
        throw new Refusal('HNG-512', {
          backend,
          detail: `The gateway got no token for ${backend}.`,
          inner: (error as Error).message,
          cause: error,
        });
      }
    }
    case 'username-token': {
      await request.body.load();
      const text = await withUsernameToken(request.body.text(), { user: c.user, password: secret, digest: c.digest });
      if (text === undefined)
        throw new Refusal('HNG-420', {
          detail: 'A step of the flow failed. The trace says which.',
          inner: `${backend} wants a UsernameToken, and the request is no SOAP envelope`,
        });
      return { ...request, body: Body.ofText(text, request.body.mediaType) };
    }
  }
}

function withKey(c: Extract<CredentialDocument, { kind: 'key' }>, secret: string, request: Presented): Presented {
  const { headers } = request;
  switch (c.in) {
    case 'header':
      return { ...request, headers: { ...headers, [c.name.toLowerCase()]: secret } };
    case 'cookie': {
      const cookie = `${c.name}=${secret}`;
      return { ...request, headers: { ...headers, cookie: headers.cookie ? `${headers.cookie}; ${cookie}` : cookie } };
    }
    case 'query': {
      const hash = request.url.indexOf('#');
      const url = hash < 0 ? request.url : request.url.slice(0, hash);
      const mark = url.includes('?') ? (url.endsWith('?') || url.endsWith('&') ? '' : '&') : '?';
      return { ...request, url: `${url}${mark}${encodeURIComponent(c.name)}=${encodeURIComponent(secret)}` };
    }
  }
}

/** UTF-8 (RFC 7617 §2.1). */
const base64 = (text: string): string => btoa(String.fromCharCode(...new TextEncoder().encode(text)));
