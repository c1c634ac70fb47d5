import { lookup as systemLookup, type LookupAddress } from 'node:dns';
import { BlockList, isIP, type LookupFunction } from 'node:net';
import { Agent, request } from 'undici';
import { Told } from './route';

/**
 * Fetching what a person names by address, without letting that reach what only this server can (OWASP API7:2023, server-side request forgery). Addresses of
 * private networks are refused unless they are on the list; every address that a name stands for is looked at when the connection is made, so that a name cannot
 * mean something else by then.
 */
const PRIVATE: readonly (readonly [string, number, 'ipv4' | 'ipv6'])[] = [
  // RFC 6890: this host, private use, shared, loopback, link-local (cloud metadata among it), benchmarking, multicast, reserved.
  ['0.0.0.0', 8, 'ipv4'],
  ['10.0.0.0', 8, 'ipv4'],
  ['100.64.0.0', 10, 'ipv4'],
  ['127.0.0.0', 8, 'ipv4'],
  ['169.254.0.0', 16, 'ipv4'],
  ['172.16.0.0', 12, 'ipv4'],
  ['192.0.0.0', 24, 'ipv4'],
  ['192.168.0.0', 16, 'ipv4'],
  ['198.18.0.0', 15, 'ipv4'],
  ['224.0.0.0', 3, 'ipv4'],
  ['::', 127, 'ipv6'],
  ['fc00::', 7, 'ipv6'],
  ['fe80::', 10, 'ipv6'],
  ['ff00::', 8, 'ipv6'],
  ['64:ff9b::', 96, 'ipv6'],
];
const blocked = new BlockList();
for (const [net, bits, family] of PRIVATE) blocked.addSubnet(net, bits, family);
const loopback = new BlockList();
loopback.addSubnet('127.0.0.0', 8, 'ipv4');
loopback.addAddress('::1', 'ipv6');

/** `HINGE_IMPORT_ALLOW`: origins, or the word loopback, between blanks. */
const allowList = (): readonly string[] => (process.env.HINGE_IMPORT_ALLOW ?? '').split(/\s+/).filter(Boolean);

/** IPv4 inside IPv6 (RFC 4291 §2.5.5.2) is the IPv4 address that it is. */
const bare = (address: string): string => address.replace(/^::ffff:(?=\d+\.\d+\.\d+\.\d+$)/i, '');

/** True where nobody needs to have said that this address may be reached. */
export function isPublic(address: string, allowed: readonly string[] = allowList()): boolean {
  const plain = bare(address);
  const family = isIP(plain) === 6 ? 'ipv6' : 'ipv4';
  if (allowed.includes('loopback') && loopback.check(plain, family)) return true;
  return !blocked.check(plain, family);
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
