import { errors, generateKeyPair, importJWK, jwtVerify, SignJWT, type JWTPayload } from 'jose';
import { sha256 } from '../guards/key/guard';
import type { CallerDirectory } from './directory';
import { TokenRefused, type OwnToken, type Tokens } from './ports';

export const TOKEN_LIMITS = { seconds: 600, kept: 5_000, longest: 8_192, revoked: 100_000 } as const;

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

  /** The id of the secret by which a client is who it says, or undefined. Takes as long for a wrong id as for a wrong secret. */
  async authenticate(id: string, secret: string): Promise<string | undefined> {
    const given = await sha256(secret);
    return this.directory.secretsOf(id).includes(given) ? given.slice(0, 12) : undefined;
  }

  async issue(clientId: string, by: string, scopes: readonly string[]): Promise<{ token: string; expiresIn: number }> {
    const { kid, sign } = await this.signing();
    const now = Math.floor(this.seconds());
    const token = await new SignJWT({ client_id: clientId, scope: scopes.join(' '), sec: by })
      .setProtectedHeader({ alg: 'ES256', typ: 'at+jwt', kid })
      .setIssuer(this.issuer())
      .setSubject(clientId)
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
    if (!this.directory.secretsOf(clientId).some((h) => h.startsWith(String(claims.sec))))
      throw new TokenRefused('The client secret that this token was got by is no longer live.');
    return {
      clientId,
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
    return this.own.has(jti) || (this.directory.current.revoked ?? []).some((r) => r.jti === jti);
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
