import type { Run } from '../../flow/run';
import type { SecretPlaces } from '../../message/secrets';
import { Refusal } from '../../problem';
import { admit, realmOf } from '../identity';
import type { GuardKind } from '../kind';
import type { KeyGuardDocument } from './schema';

const KEPT = 5_000;

/**
 * The app is found by the SHA-256 of its key: the gateway holds no key, and a lookup by hash tells nothing of how near a guess was. A missing and a
 * wrong key get the same words. The key is for the door: flow and backends do not see it.
 */
export const keyGuard: GuardKind<KeyGuardDocument> = {
  kind: 'key',
  knows: true,
  words: 'asks for the key of an app',
  secrets: placesOf,
  scheme: (guard) => {
    const header = headerOf(guard);
    return header === undefined
      ? { type: 'apiKey', in: 'query', name: guard.query! }
      : { type: 'apiKey', in: 'header', name: header };
  },
  compile(guard, { document }) {
    const header = headerOf(guard);
    const places = placesOf(guard);
    const name = header?.toLowerCase();
    const where = [header && `the header ${header}`, guard.query && `the query parameter ${guard.query}`]
      .filter(Boolean)
      .join(' or ');
    // Of keys that were good once: whether they still are is looked up each time.
    const hashes = new Map<string, string>();
    const apps = new Map<string, { id: string; name: string; plan?: string }>();
    for (const [id, app] of Object.entries(document.apps ?? {}))
      for (const key of app.keys) apps.set(key.toLowerCase(), { id, name: app.name ?? id, plan: app.plan });
    const take = (run: Run, given: string | undefined, hash: string | undefined): void => {
      const app = hash === undefined ? undefined : (apps.get(hash) ?? run.ports.callers?.byKey(hash, run.more.api));
      if (!app)
        throw new Refusal('HNG-410', {
          detail: `A valid key is needed, in ${where}.`,
          headers: {
            'www-authenticate': `ApiKey realm="${realmOf(document)}", in="${where.replace(/"/g, '')}"`,
          },
          inner: given ? 'no app has this key' : 'no key was sent',
        });
      admit(run, document, app);
      run.withhold(places);
    };
    return ({ run }) => {
      const given =
        (name && run.message.headers[name]) ||
        (guard.query !== undefined ? new URLSearchParams(run.request.search).get(guard.query) : undefined) ||
        undefined;
      const hash = given === undefined ? undefined : hashes.get(given);
      if (given === undefined || hash !== undefined) return take(run, given, hash);
      return sha256(given).then((h) => {
        take(run, given, h);
        // It was good, or `take` would have thrown.
        if (hashes.size >= KEPT) hashes.delete(hashes.keys().next().value!);
        hashes.set(given, h);
      });
    };
  },
};

const headerOf = (guard: KeyGuardDocument): string | undefined =>
  guard.header ?? (guard.query === undefined ? 'X-API-Key' : undefined);

function placesOf(guard: KeyGuardDocument): SecretPlaces {
  const header = headerOf(guard)?.toLowerCase();
  return {
    headers: new Set(header === undefined ? [] : [header]),
    query: new Set(guard.query === undefined ? [] : [guard.query]),
  };
}

/** As hexadecimal digits: what stands in the document. Web Crypto, in Node and in browsers. */
export async function sha256(text: string): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text));
  return [...new Uint8Array(digest)].map((b) => b.toString(16).padStart(2, '0')).join('');
}
