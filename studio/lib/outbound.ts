import { lookup as systemLookup, type LookupAddress } from 'node:dns';
import { isIP, type LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent, request } from 'undici';
import { Told } from './route';

/**
 * Fetching what a person names by address, without letting that reach what only this server can (OWASP API7:2023, server-side request forgery). Addresses of
 * private networks are refused unless they are on the list; every address that a name stands for is looked at when the connection is made, so that a name cannot
 * mean something else by then.
 */

/** `HINGE_IMPORT_ALLOW`: origins, or the word loopback, between blanks. */
const allowList = (): readonly string[] => (process.env.HINGE_IMPORT_ALLOW ?? '').split(/\s+/).filter(Boolean);

/** The address that is meant: an IPv4 address inside of an IPv6 one is that IPv4 address (RFC 4291 §2.5.5). */
function meant(address: string): ipaddr.IPv4 | ipaddr.IPv6 | undefined {
  if (!ipaddr.isValid(address)) return undefined;
  const parsed = ipaddr.process(address);
  if (parsed.kind() === 'ipv4') return parsed;
  const v6 = parsed as ipaddr.IPv6;
  // IPv4-compatible addresses (§2.5.5.1) are no range of their own to the package.
  const compatible = v6.parts.slice(0, 6).every((p) => p === 0) && v6.parts[6] !== 0;
  return compatible ? new ipaddr.IPv4(v6.toByteArray().slice(12)) : v6;
}

/**
 * True where nobody needs to have said that this address may be reached: it is a global unicast address, and none that leads on to another by a
 * translator or a tunnel (RFC 6890 and the registries of IANA behind it).
 */
export function isPublic(address: string, allowed: readonly string[] = allowList()): boolean {
  const ip = meant(address);
  if (!ip) return false;
  const range = ip.range();
  if (range === 'loopback') return allowed.includes('loopback');
  // Of IPv6 only 2000::/3 is given out as global unicast (RFC 4291 §2.4).
  return range === 'unicast' && (ip.kind() === 'ipv4' || (ip.toByteArray()[0]! & 0xe0) === 0x20);
}

class Refused extends Error {}

const guardedLookup: LookupFunction = (hostname, options, done) => {
  systemLookup(hostname, { ...options, all: true }, (error, addresses: LookupAddress[]) => {
    const wrong = error ?? (addresses.every((a) => isPublic(a.address)) ? undefined : new Refused(hostname));
    if (wrong) done(wrong, '', 0);
    else if (options.all) (done as (e: null, a: LookupAddress[]) => void)(null, addresses);
    else done(null, addresses[0]!.address, addresses[0]!.family);
  });
};

const guarded = new Agent({ connect: { lookup: guardedLookup, timeout: 10_000 } });
const open = new Agent({ connect: { timeout: 10_000 } });

/** GET, or what `options` say; throws `Told` for what may not be reached. Redirects are not followed: they would lead past the check. */
export async function fetchOutside(
  location: string,
  options: { readonly method?: 'GET' | 'POST'; readonly headers?: Record<string, string>; readonly body?: string } = {},
): ReturnType<typeof request> {
  const url = new URL(location);
  const listed = allowList().includes(url.origin);
  const literal = url.hostname.replace(/^\[|\]$/g, '');
  const refuse = () =>
    new Told(
      422,
      `${url.host} is in a private network. Whoever runs the studio can allow ${url.origin} (HINGE_IMPORT_ALLOW); or bring the contract as files.`,
    );
  if (!listed && isIP(literal) && !isPublic(literal)) throw refuse();
  try {
    return await request(location, {
      ...options,
      dispatcher: listed ? open : guarded,
      headersTimeout: 10_000,
      bodyTimeout: 10_000,
    });
  } catch (error) {
    if (error instanceof Refused) throw refuse();
    throw error;
  }
}
