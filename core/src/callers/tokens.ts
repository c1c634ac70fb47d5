import { errors, generateKeyPair, importJWK, jwtVerify, SignJWT, type JWTPayload } from 'jose';
import { sha256 } from '../guards/key/guard';
import type { CallerDirectory } from './directory';
import { TokenRefused, type OwnToken, type Tokens } from './ports';

export const TOKEN_LIMITS = { seconds: 600, kept: 5_000, longest: 8_192, revoked: 100_000 } as const;

/** A client that has shown who it is. */
export interface Client {
  readonly id: string;
  /** Which of its secrets it showed: the beginning of its hash. */
  readonly by: string;
  /** The API in whose document it stands; absent for an app of the gateway. */
  readonly api?: string;
}

type Key = Parameters<SignJWT['sign']>[0];
interface Signing {
  readonly kid: string;
  readonly sign: Key;
  readonly verify: Key;
}

/**
 * Makes and checks access tokens: JWT as RFC 9068 profiles them, signed by ES256 with the key of the environment, so that
 * every gateway of it takes them. A token ends with its time, with the client secret that it was got by, with its app, or
 * when it is revoked.
 */
export class TokenAuthority implements Tokens {
  private readonly verified = new Map<string, JWTPayload>();
  private readonly own = new Map<string, number>();
  private keyOf: { readonly kid: string; readonly key: Promise<Signing> } | undefined;

  constructor(
    private readonly directory: CallerDirectory,
    private readonly issuer: () => string,
    private readonly seconds: () => number,
    /** Told of a token revoked here, so that other gateways hear of it. */
    private readonly told: (jti: string, until: number) => void = () => undefined,
  ) {}

  /** Who a client is by its secret, or undefined. */
  async authenticate(id: string, secret: string): Promise<Client | undefined> {
    const given = await sha256(secret);
    const place = this.directory.placeOf(id, given);
    return place && { id, by: given.slice(0, 12), ...place };
  }

  async issue({ id, by, api }: Client, scopes: readonly string[]): Promise<{ token: string; expiresIn: number }> {
    const { kid, sign } = await this.signing();
    const now = Math.floor(this.seconds());
    const token = await new SignJWT({
      client_id: id,
      scope: scopes.join(' '),
      sec: by,
      ...(api !== undefined && { api }),
    })
      .setProtectedHeader({ alg: 'ES256', typ: 'at+jwt', kid })
      .setIssuer(this.issuer())
      .setSubject(id)
      .setIssuedAt(now)
      .setExpirationTime(now + TOKEN_LIMITS.seconds)
      .setJti(crypto.randomUUID())
      .sign(sign);
    return { token, expiresIn: TOKEN_LIMITS.seconds };
  }

  async verify(token: string): Promise<OwnToken> {
    const claims = await this.claimsOf(token);
    const clientId = String(claims.client_id);
    if (this.isRevoked(claims.jti ?? '')) throw new TokenRefused('The token was revoked.');
    const api = typeof claims.api === 'string' ? claims.api : undefined;
    if (!this.directory.secretsOf(clientId, api).some((h) => h.startsWith(String(claims.sec))))
      throw new TokenRefused('The client secret that this token was got by is no longer live.');
    return {
      clientId,
      ...(api !== undefined && { api }),
      scopes: String(claims.scope ?? '')
        .split(' ')
        .filter(Boolean),
      claims,
    };
  }

  async revoke(token: string): Promise<void> {
    const claims = await this.claimsOf(token);
    if (this.own.size >= TOKEN_LIMITS.revoked) this.own.delete(this.own.keys().next().value!);
    this.own.set(claims.jti!, claims.exp!);
    this.told(claims.jti!, claims.exp!);
  }

  private isRevoked(jti: string): boolean {
    return this.own.has(jti) || this.directory.isRevoked(jti);
  }

  private async claimsOf(token: string): Promise<JWTPayload> {
    const hit = this.verified.get(token);
    if (hit) {
      if (hit.exp! > this.seconds()) return hit;
      this.verified.delete(token);
      throw new TokenRefused('The token has expired.');
    }
    if (token.length > TOKEN_LIMITS.longest) throw new TokenRefused('The token is not one of this gateway.');
    const { verify } = await this.signing();
    try {
      const { payload } = await jwtVerify(token, verify, {
        algorithms: ['ES256'],
        typ: 'at+jwt',
        issuer: this.issuer(),
        requiredClaims: ['exp', 'jti', 'client_id'],
        currentDate: new Date(this.seconds() * 1000),
      });
      if (this.verified.size >= TOKEN_LIMITS.kept) this.verified.delete(this.verified.keys().next().value!);
      this.verified.set(token, payload);
      return payload;
    } catch (error) {
      throw new TokenRefused(
        error instanceof errors.JWTExpired ? 'The token has expired.' : 'The token is not one of this gateway.',
        { cause: error },
      );
    }
  }

  private signing(): Promise<Signing> {
    const given = this.directory.current.signing;
    const kid = given?.kid ?? 'own';
    if (this.keyOf?.kid !== kid) {
      this.verified.clear();
      this.keyOf = { kid, key: given ? imported(given) : made() };
    }
    return this.keyOf.key;
  }
}

async function imported(given: { kid: string; key: Parameters<typeof importJWK>[0] }): Promise<Signing> {
  const { d: _private, ...open } = given.key;
  return {
    kid: given.kid,
    sign: (await importJWK(given.key, 'ES256')) as Key,
    verify: (await importJWK(open, 'ES256')) as Key,
  };
}

async function made(): Promise<Signing> {
  const pair = await generateKeyPair('ES256');
  return { kid: 'own', sign: pair.privateKey, verify: pair.publicKey };
}
