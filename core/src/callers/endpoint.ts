import { Windows } from '../guards/rate/windows';
import { Body } from '../message/body';
import type { Message } from '../message/message';
import type { CallerDirectory } from './directory';
import { TokenRefused } from './ports';
import type { Client, TokenAuthority } from './tokens';

const METADATA = '/.well-known/oauth-authorization-server';
/** Wrong secrets of one client from one address in a minute, before they have to wait. */
const MISSES = 20;
/** An app whose plan gives this scope may ask about tokens of others (RFC 7662 §2.1: who may ask is the server's to say). */
const INTROSPECT = 'introspect';

export interface TokenCall {
  readonly method: string;
  readonly url: string;
  /** Lower-case names. */
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Body;
  readonly remote?: string;
  /** Scheme and host by which the caller reached us. */
  readonly origin: string;
}

/** RFC 6749 §5.2. */
class OauthError extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly status = 400,
    readonly headers: Readonly<Record<string, string>> = {},
  ) {
    super(message);
  }
}

/**
 * Tokens for apps: RFC 6749 §4.4 (client credentials) at /oauth/token, RFC 7662 at /oauth/introspect, RFC 7009 at
 * /oauth/revoke, RFC 8414 metadata. Clients show id and secret by Basic or in the body (RFC 6749 §2.3.1).
 */
export class TokenEndpoint {
  private readonly misses = new Windows(MISSES, 60_000);

  constructor(
    private readonly authority: TokenAuthority,
    private readonly directory: CallerDirectory,
    private readonly now: () => number,
  ) {}

  static serves(path: string): boolean {
    return path.startsWith('/oauth/') || path === METADATA;
  }

  async answer(call: TokenCall): Promise<Message> {
    try {
      if (call.url === METADATA) return json(200, metadata(call.origin));
      const act = { '/oauth/token': this.token, '/oauth/introspect': this.introspect, '/oauth/revoke': this.revoke }[
        call.url
      ];
      if (!act) return json(404, { error: 'not_found', error_description: `There is nothing at ${call.url}.` });
      if (call.method !== 'POST')
        return json(
          405,
          { error: 'invalid_request', error_description: 'Only POST is taken here.' },
          { allow: 'POST' },
        );
      const form = await formOf(call);
      const client = await this.client(call, form);
      return await act.call(this, form, client);
    } catch (error) {
      if (!(error instanceof OauthError)) throw error;
      return json(error.status, { error: error.code, error_description: error.message }, error.headers);
    }
  }

  private async token(form: Form, client: Client): Promise<Message> {
    const grant = form.get('grant_type');
    if (grant === undefined) throw new OauthError('invalid_request', 'The parameter grant_type is missing.');
    if (grant !== 'client_credentials')
      throw new OauthError('unsupported_grant_type', 'Only client_credentials is given here.');
    const may = this.directory.scopesOf(client.id, client.api);
    const wanted = form.get('scope')?.split(' ').filter(Boolean);
    const beyond = wanted?.filter((s) => !may.has(s)) ?? [];
    if (beyond.length)
      throw new OauthError(
        'invalid_scope',
        `No plan of this app gives ${beyond.map((s) => printable(s)).join(', ')}; it may ask for ${[...may].join(', ') || 'none'}.`,
      );
    const scopes = wanted?.length ? [...new Set(wanted)] : [...may];
    const { token, expiresIn } = await this.authority.issue(client, scopes);
    return json(200, {
      access_token: token,
      token_type: 'Bearer',
      expires_in: expiresIn,
      ...(scopes.length && { scope: scopes.join(' ') }),
    });
  }

  private async introspect(form: Form, client: Client): Promise<Message> {
    const token = form.get('token');
    if (token === undefined) throw new OauthError('invalid_request', 'The parameter token is missing.');
    try {
      const { clientId, api, scopes, claims } = await this.authority.verify(token);
      if (
        (clientId !== client.id || api !== client.api) &&
        !this.directory.scopesOf(client.id, client.api).has(INTROSPECT)
      )
        return json(200, { active: false });
      const { iss, sub, exp, iat, jti } = claims;
      return json(200, {
        active: true,
        client_id: clientId,
        token_type: 'Bearer',
        ...(scopes.length && { scope: scopes.join(' ') }),
        ...{ iss, sub, exp, iat, jti },
      });
    } catch (error) {
      // Nothing of why: RFC 7662 §2.2.
      if (error instanceof TokenRefused) return json(200, { active: false });
      throw error;
    }
  }

  private async revoke(form: Form, client: Client): Promise<Message> {
    const token = form.get('token');
    if (token === undefined) throw new OauthError('invalid_request', 'The parameter token is missing.');
    try {
      const { clientId, api } = await this.authority.verify(token);
      if (clientId !== client.id || api !== client.api)
        throw new OauthError('unauthorized_client', 'The token was given to another client.');
      await this.authority.revoke(token);
    } catch (error) {
      // A token that is not valid is as good as revoked: RFC 7009 §2.2.
      if (!(error instanceof TokenRefused)) throw error;
    }
    return { status: 200, headers: NO_STORE, body: Body.empty() };
  }

  private async client(call: TokenCall, form: Form): Promise<Client> {
    const basic = call.headers.authorization;
    const inBody = form.get('client_secret') !== undefined;
    if (basic !== undefined && inBody)
      throw new OauthError('invalid_request', 'The client shows its secret in two ways; one is to be used.');
    const [id, secret] = basic === undefined ? [form.get('client_id'), form.get('client_secret')] : fromBasic(basic);
    const at = `${call.remote ?? ''} ${id ?? ''}`;
    const wait = this.misses.wait(at, this.now());
    if (wait > 0)
      throw new OauthError('slow_down', 'Too many wrong secrets of this client from this address.', 429, {
        'retry-after': String(Math.ceil(wait / 1000)),
      });
    const client = id === undefined || secret === undefined ? undefined : await this.authority.authenticate(id, secret);
    if (client) return client;
    if (secret !== undefined) this.misses.take(at, this.now());
    throw new OauthError(
      'invalid_client',
      'A client and its live secret are needed: by Authorization: Basic, or as client_id and client_secret.',
      401,
      { 'www-authenticate': 'Basic realm="oauth", charset="UTF-8"' },
    );
  }
}

type Form = ReadonlyMap<string, string>;

const FORM_BYTES = 64 * 1024;
const tooLarge = () => new OauthError('invalid_request', 'The body is larger than any such request.', 413);

async function formOf(call: TokenCall): Promise<Form> {
  const type = call.headers['content-type'] ?? '';
  if (!/^application\/x-www-form-urlencoded\b/i.test(type))
    throw new OauthError('invalid_request', 'The body must be application/x-www-form-urlencoded.');
  if (Number(call.headers['content-length'] ?? 0) > FORM_BYTES) throw tooLarge();
  await call.body.load();
  if (call.body.text().length > FORM_BYTES) throw tooLarge();
  const form = new Map<string, string>();
  for (const [name, value] of new URLSearchParams(call.body.text())) {
    // RFC 6749 §3.2: none may come twice, and one without a value counts as left out.
    if (form.has(name)) throw new OauthError('invalid_request', `The parameter ${printable(name)} came twice.`);
    if (value !== '') form.set(name, value);
  }
  return form;
}

/** RFC 6749 §2.3.1: both parts are form-encoded before they are joined. */
function fromBasic(header: string): [string | undefined, string | undefined] {
  const given = /^basic +([A-Za-z0-9+/=]+)$/i.exec(header)?.[1];
  if (given === undefined) return [undefined, undefined];
  try {
    const text = atob(given);
    const cut = text.indexOf(':');
    if (cut < 0) return [undefined, undefined];
    const plain = (part: string) => decodeURIComponent(part.replace(/\+/g, ' '));
    return [plain(text.slice(0, cut)), plain(text.slice(cut + 1))];
  } catch {
    return [undefined, undefined];
  }
}

/** What RFC 6749 §5.2 lets stand in a description. */
const printable = (text: string): string => text.slice(0, 80).replace(/[^\x20-\x21\x23-\x5b\x5d-\x7e]/g, '?');

const NO_STORE = { 'cache-control': 'no-store', pragma: 'no-cache' };

function json(status: number, value: object, headers: Readonly<Record<string, string>> = {}): Message {
  return {
    status,
    headers: { ...NO_STORE, ...headers, 'content-type': 'application/json' },
    body: Body.ofText(JSON.stringify(value), 'application/json'),
    format: 'JSON',
  };
}

const metadata = (origin: string) => ({
  issuer: origin,
  token_endpoint: `${origin}/oauth/token`,
  introspection_endpoint: `${origin}/oauth/introspect`,
  revocation_endpoint: `${origin}/oauth/revoke`,
  grant_types_supported: ['client_credentials'],
  response_types_supported: [],
  token_endpoint_auth_methods_supported: ['client_secret_basic', 'client_secret_post'],
});
