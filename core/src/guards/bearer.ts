import type { FlowDocument } from '../flow/document';
import type { Run } from '../flow/run';
import { Refusal } from '../problem';
import { realmOf } from './identity';

export const BEARER_PLACES = { headers: new Set(['authorization']), query: new Set<string>() };

/** The token of a request (RFC 6750 §2.1), and the refusals around it (§3). */
export function bearer(document: FlowDocument, whose: string, scopes: readonly string[] = []) {
  const challenge = (more = '') => ({ 'www-authenticate': `Bearer realm="${realmOf(document)}"${more}` });
  return {
    of(run: Run): string {
      const token = /^bearer +([A-Za-z0-9._~+/-]+=*)$/i.exec(run.message.headers.authorization ?? '')?.[1];
      if (token !== undefined) return token;
      // RFC 6750 §3.1: no error code where no token was sent.
      throw new Refusal('HNG-414', {
        detail: `A token of ${whose} is needed, in the header Authorization (Bearer).`,
        headers: challenge(),
        inner: 'no Authorization: Bearer was sent',
      });
    },
    refusal(words: string, error: unknown): Refusal {
      return new Refusal('HNG-414', {
        detail: words,
        headers: challenge(`, error="invalid_token", error_description="${words}"`),
        inner: (error as Error).message,
      });
    },
    demand(given: readonly string[]): void {
      const missing = scopes.filter((s) => !given.includes(s));
      if (!missing.length) return;
      throw new Refusal('HNG-415', {
        detail: `The token lacks ${missing.length === 1 ? 'the scope' : 'the scopes'} ${missing.join(', ')}.`,
        headers: challenge(`, error="insufficient_scope", scope="${scopes.join(' ')}"`),
      });
    },
  };
}
