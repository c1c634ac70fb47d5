import { TokenRefused } from '../../callers/ports';
import { Refusal } from '../../problem';
import { BEARER_PLACES, bearer } from '../bearer';
import { admit, appOf } from '../identity';
import type { GuardKind } from '../kind';
import type { TokenGuardDocument } from './schema';

/** The token is looked at again with every call: it ends with its secret, its app, its subscription, or when it is revoked. */
export const tokenGuard: GuardKind<TokenGuardDocument> = {
  kind: 'token',
  knows: true,
  words: 'asks for a token of this gateway',
  secrets: () => BEARER_PLACES,
  scheme: () => ({
    type: 'http',
    scheme: 'bearer',
    bearerFormat: 'JWT',
    description: 'A token from /oauth/token, for client id and secret (RFC 6749 §4.4)',
  }),
  compile(guard, { document }) {
    const tokens = bearer(document, 'this gateway (POST /oauth/token)', guard.scopes);
    return async ({ run }) => {
      const text = tokens.of(run);
      const authority = run.ports.tokens;
      if (!authority)
        throw new Refusal('HNG-417', { detail: 'Tokens cannot be checked now.', inner: 'no tokens are given here' });
      try {
        const token = await authority.verify(text);
        tokens.demand(token.scopes);
        const own = appOf(run, document, token.clientId);
        const known = run.ports.callers?.byId(token.clientId, run.more.api);
        const listed = Object.hasOwn(document.apps ?? {}, token.clientId);
        admit(run, document, listed ? own : (known ?? { ...own, closed: 'none' }), token.claims);
      } catch (error) {
        if (error instanceof TokenRefused) throw tokens.refusal(error.message, error);
        throw error;
      }
      run.withhold(BEARER_PLACES);
    };
  },
};
