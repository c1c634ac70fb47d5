import { createLocalJWKSet, errors, jwtVerify, type JSONWebKeySet, type JWTPayload } from 'jose';
import type { Run } from '../../flow/run';
import { Body } from '../../message/body';
import { Refusal } from '../../problem';
import { BEARER_PLACES, bearer } from '../bearer';
import { admit, appOf } from '../identity';
import type { GuardKind } from '../kind';
import type { JwtGuardDocument } from './schema';

const ALL = ['RS256', 'RS384', 'RS512', 'PS256', 'PS384', 'PS512', 'ES256', 'ES384', 'ES512', 'EdDSA'];
const KEEP_MS = 600_000;
/** An unknown key makes the set be fetched again, but not more often than this: anybody can send an unknown key. */
const AGAIN_MS = 30_000;
const FETCH_MS = 5_000;
const LONGEST = 16_384;

/**
 * Signature, iss, aud, exp and nbf are checked (RFC 8725 §3.1: only algorithms that are allowed, none never). The claims are read in flows as `claims`;
 * the token itself goes no further than here.
 */
export const jwtGuard: GuardKind<JwtGuardDocument> = {
  kind: 'jwt',
  knows: true,
  words: 'asks for a token of an issuer',
  secrets: () => BEARER_PLACES,
  scheme: (guard) => ({
    type: 'http',
    scheme: 'bearer',
    bearerFormat: 'JWT',
    description: `A token of ${guard.issuer}`,
  }),
  compile(guard, { document }) {
    const keys = new KeySet(guard);
    const tokens = bearer(document, guard.issuer, guard.scopes);
    return async ({ run }) => {
      const token = tokens.of(run);
      let claims: JWTPayload;
      try {
        if (token.length > LONGEST) throw new errors.JWTInvalid('the token is too long');
        claims = await keys.verify(token, run);
      } catch (error) {
        if (error instanceof Refusal) throw error;
        throw tokens.refusal(wordsOf(error), error);
      }
      tokens.demand(scopesOf(claims));
      const id = (guard.app ?? ['client_id', 'azp', 'sub']).map((c) => claims[c]).find((v) => typeof v === 'string');
      admit(run, document, appOf(run, document, typeof id === 'string' ? id : guard.issuer), claims);
      run.withhold(BEARER_PLACES);
    };
  },
};

/** Says what a caller can mend: a token that is too old, for somebody else, or of somebody else; nothing of the signature. */
function wordsOf(error: unknown): string {
  if (error instanceof errors.JWTExpired) return 'The token has expired.';
  if (error instanceof errors.JWTClaimValidationFailed) {
    if (error.claim === 'aud') return 'The token is for another audience.';
    if (error.claim === 'iss') return 'The token is of another issuer.';
    if (error.claim === 'nbf') return 'The token is not valid yet.';
    return `The claim ${error.claim.replace(/[^A-Za-z0-9_-]/g, '')} is missing or wrong.`;
  }
  return 'The token is not valid here.';
}

/** scope is one text (RFC 8693 §4.2); scp a list or a text, as many issuers write it (common practice). */
function scopesOf(claims: JWTPayload): string[] {
  const of = (v: unknown): string[] =>
    typeof v === 'string' ? v.split(' ') : Array.isArray(v) ? v.filter((x) => typeof x === 'string') : [];
  return [...of(claims.scope), ...of(claims.scp)];
}

/** Keys of an issuer: given, or fetched and kept; one flight for many callers. */
class KeySet {
  private found: { readonly resolve: ReturnType<typeof createLocalJWKSet>; readonly at: number } | undefined;
  private flight: Promise<void> | undefined;

  constructor(private readonly guard: JwtGuardDocument) {
    if (guard.keys) this.found = { resolve: createLocalJWKSet({ keys: guard.keys }), at: Infinity };
  }

  async verify(token: string, run: Run): Promise<JWTPayload> {
    const now = run.ports.clock.now();
    if (!this.found || now - this.found.at > KEEP_MS) await this.fetch(run);
    try {
      return await this.once(token);
    } catch (error) {
      // The issuer may have changed its keys.
      if (!(error instanceof errors.JWKSNoMatchingKey) || now - this.found!.at < AGAIN_MS) throw error;
      await this.fetch(run);
      return this.once(token);
    }
  }

  private async once(token: string): Promise<JWTPayload> {
    const { issuer, audience, algorithms, toleranceSeconds } = this.guard;
    const { payload } = await jwtVerify(token, this.found!.resolve, {
      issuer,
      audience,
      algorithms: algorithms ?? ALL,
      clockTolerance: toleranceSeconds ?? 30,
      requiredClaims: ['exp'],
    });
    return payload;
  }

  private fetch(run: Run): Promise<void> {
    this.flight ??= this.load(run).finally(() => (this.flight = undefined));
    return this.flight;
  }

  private async load(run: Run): Promise<void> {
    const url = this.guard.jwks;
    try {
      if (url === undefined) throw new Error('the guard names no keys');
      const reply = await run.ports.backends.send({
        backend: 'keys of the issuer',
        url,
        method: 'GET',
        headers: { accept: 'application/jwk-set+json, application/json' },
        body: Body.empty(),
        timeoutMs: FETCH_MS,
      });
      await reply.body.load();
      if (reply.status !== 200) throw new Error(`${url} answered ${reply.status}`);
      const set = JSON.parse(reply.body.text()) as JSONWebKeySet;
      this.found = { resolve: createLocalJWKSet(set), at: run.ports.clock.now() };
    } catch (error) {
      // Keys that were good a moment ago are better than none.
      if (this.found) {
        this.found = { ...this.found, at: run.ports.clock.now() };
        return;
      }
      throw new Refusal('HNG-417', {
        detail: 'Tokens cannot be checked now.',
        inner: (error as Error).message,
        headers: { 'retry-after': '5' },
        cause: error,
      });
    }
  }
}
