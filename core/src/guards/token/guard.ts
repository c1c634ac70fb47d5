import { TokenRefused, type KnownCaller, type OwnToken } from '../../callers/ports';
import type { FlowDocument } from '../../flow/document';
import type { Run } from '../../flow/run';
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
        admit(run, document, callerOf(run, document, token), token.claims);
      } catch (error) {
        if (error instanceof TokenRefused) throw tokens.refusal(error.message, error);
        throw error;
      }
      run.withhold(BEARER_PLACES);
    };
  },
};

/** An app of a document is for its API alone; one of the gateway needs a subscription. */
function callerOf(run: Run, document: FlowDocument, { clientId, api }: OwnToken): KnownCaller {
  if (api === undefined)
    return run.ports.callers?.byId(clientId, run.more.api) ?? { id: clientId, name: clientId, closed: 'none' };
  if (api !== run.more.api) return { id: clientId, name: clientId, closed: 'none' };
  return appOf(run, document, clientId);
}
