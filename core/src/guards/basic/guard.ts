import { Refusal } from '../../problem';
import { BEARER_PLACES } from '../bearer';
import { admit, appOf, realmOf } from '../identity';
import { sha256 } from '../key/guard';
import type { GuardKind } from '../kind';
import type { BasicGuardDocument } from './schema';

const KEPT = 1000;
const KEPT_MS = 300_000;
/** Passwords that are worked on at the same time: guessing must not take the whole gateway. */
const AT_ONCE = 8;

/** A wrong name and a wrong password take the same time and get the same words. What was found is kept for five minutes by its hash: the work is meant to be slow. */
export const basicGuard: GuardKind<BasicGuardDocument> = {
  kind: 'basic',
  knows: true,
  words: 'asks for a name and a password',
  secrets: () => BEARER_PLACES,
  scheme: () => ({ type: 'http', scheme: 'basic' }),
  compile(guard, { document }) {
    const known = new Map<string, { readonly right: Promise<boolean>; readonly until: number }>();
    const [nobody] = Object.values(guard.users);
    let working = 0;
    const refuse = (inner: string): never => {
      throw new Refusal('HNG-414', {
        detail: 'A name and its password are needed, in the header Authorization (Basic).',
        headers: { 'www-authenticate': `Basic realm="${realmOf(document)}", charset="UTF-8"` },
        inner,
      });
    };
    return async ({ run }) => {
      const given = /^basic +([A-Za-z0-9+/=]+)$/i.exec(run.message.headers.authorization ?? '')?.[1];
      if (given === undefined) refuse('no Authorization: Basic was sent');
      const text = decoded(given!);
      const cut = text?.indexOf(':') ?? -1;
      if (text === undefined || cut < 0) refuse('the credentials cannot be read');
      const name = text!.slice(0, cut);
      const hash = Object.hasOwn(guard.users, name) ? guard.users[name] : undefined;
      const now = run.ports.clock.now();
      const key = await sha256(given!);
      let found = known.get(key);
      if (!found || found.until < now) {
        if (working >= AT_ONCE)
          throw new Refusal('HNG-416', {
            detail: 'Too many new names and passwords at the same time.',
            headers: { 'retry-after': '1' },
          });
        working++;
        const right = verify(text!.slice(cut + 1), hash ?? nobody)
          .then((r) => r && hash !== undefined)
          .finally(() => working--);
        found = { right, until: now + KEPT_MS };
        known.set(key, found);
        if (known.size > KEPT) known.delete(known.keys().next().value!);
      }
      if (!(await found.right)) refuse(`no user has this name and password`);
      admit(run, document, appOf(run, document, name));
      run.withhold(BEARER_PLACES);
    };
  },
};

function decoded(base64: string): string | undefined {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytesOf(base64));
  } catch {
    return undefined;
  }
}

const bytesOf = (base64: string): Uint8Array<ArrayBuffer> => Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
const base64Of = (bytes: Uint8Array): string => btoa(String.fromCharCode(...bytes));

/** OWASP Password Storage Cheat Sheet (2023): 600,000 rounds for PBKDF2-HMAC-SHA256. */
const ROUNDS = 600_000;

/** What stands in the document for a password. */
export async function passwordHash(password: string, rounds = ROUNDS): Promise<string> {
  const salt = crypto.getRandomValues(new Uint8Array(16));
  return `pbkdf2-sha256$${rounds}$${base64Of(salt)}$${base64Of(await derive(password, salt, rounds))}`;
}

async function verify(password: string, hash: string | undefined): Promise<boolean> {
  const [, rounds = String(ROUNDS), salt = 'AAAAAAAAAAAAAAAAAAAAAA==', want = ''] = hash?.split('$') ?? [];
  const made = await derive(password, bytesOf(salt), Number(rounds));
  const wanted = bytesOf(want);
  let differs = made.length ^ wanted.length;
  for (let i = 0; i < made.length; i++) differs |= made[i]! ^ (wanted[i] ?? 0);
  return differs === 0;
}

async function derive(password: string, salt: Uint8Array<ArrayBuffer>, iterations: number): Promise<Uint8Array> {
  const key = await crypto.subtle.importKey('raw', new TextEncoder().encode(password), 'PBKDF2', false, ['deriveBits']);
  return new Uint8Array(
    await crypto.subtle.deriveBits({ name: 'PBKDF2', hash: 'SHA-256', salt, iterations }, key, 256),
  );
}
