import type { Run } from '../../flow/run';
import { withFields } from '../../message/headers';
import { runnable } from '../expression';

/** Header fields, by lower-case name, that the key of a step reads. */
export function namedByKey(key: readonly string[]): ReadonlySet<string> {
  const out = new Set<string>();
  for (const source of key)
    for (const [root, name] of runnable(source).reads) {
      if (root === 'headers' && name !== undefined) out.add(name.toLowerCase());
      if (root === 'headers' && name === undefined) [...PRIVATE, ...FORGEABLE].forEach((f) => out.add(f));
      if (root === 'cookies') out.add('cookie');
    }
  return out;
}

/** Fields by which a backend may know the caller. What a guard read is taken out of the request by then. */
const PRIVATE = ['authorization', 'cookie', 'proxy-authorization', 'x-api-key'] as const;

/**
 * A field of credentials that is still in the request, and not in the key: what comes for it is for its caller alone (RFC 9111 §3.5), so it neither
 * fills nor uses what is shared.
 */
export function privateField(run: Run, named: ReadonlySet<string>): string | undefined {
  const { headers } = run.request.message;
  const own = run.message.status === undefined ? run.message.headers : headers;
  return PRIVATE.find((f) => (headers[f] !== undefined || own[f] !== undefined) && !named.has(f));
}

/** The reply says that it is for everybody, credentials or not (RFC 9111 §3.5). */
export const isPublic = (headers: Readonly<Record<string, string>>): boolean =>
  /(?:^|[\s,])(?:public|s-maxage)(?=$|[\s,=])/i.test(headers['cache-control'] ?? '');

/** Fields in which any caller can say where a request comes from or goes to: a backend that believes them would fill the store with it. */
const FORGEABLE: readonly string[] = [
  'forwarded',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-port',
  'x-forwarded-prefix',
  'x-forwarded-proto',
  'x-forwarded-scheme',
  'x-forwarded-server',
  'x-forwarded-ssl',
  'x-host',
  'x-http-host-override',
  'x-http-method-override',
  'x-method-override',
  'x-original-host',
  'x-original-url',
  'x-real-ip',
  'x-rewrite-url',
];

/** They do not go to the backend whose reply is kept, unless the key tells them apart. */
export function dropForgeable(run: Run, named: ReadonlySet<string>): void {
  const m = run.message;
  if (m.status !== undefined || !FORGEABLE.some((f) => m.headers[f] !== undefined && !named.has(f))) return;
  const gone = new Set(FORGEABLE.filter((f) => !named.has(f)));
  run.message = { ...m, headers: withFields(m.headers, {}, gone) };
}

/** Times and numbers of a token: they say nothing of its owner (RFC 7519 §4.1). */
const OF_THE_TOKEN = new Set(['exp', 'iat', 'nbf', 'jti', 'auth_time', 'nonce', 'at_hash']);

/** Whose result it is: of an app; of one of its users too, where the steps read who that is, and where no app is known. */
export function ownerOf(run: Run, byClaims: boolean): unknown {
  const { app, claims } = run.identity ?? {};
  const who = claims && (byClaims || !app) ? Object.entries(claims).filter(([k]) => !OF_THE_TOKEN.has(k)) : undefined;
  return who ? [app?.id ?? '', who] : (app?.id ?? '');
}
