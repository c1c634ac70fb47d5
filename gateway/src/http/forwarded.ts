import type { IncomingMessage } from 'node:http';
import { BlockList, isIP } from 'node:net';

/** Proxies in front of this gateway that are believed; everybody else's words about where a request came from are words. */
export class TrustedProxies {
  private readonly list = new BlockList();

  /** `ranges`: addresses or CIDR ranges (RFC 4632, RFC 4291 §2.3). Throws where one is none. */
  constructor(readonly ranges: readonly string[] = []) {
    for (const range of ranges) {
      const [address = '', bits] = range.split('/', 2);
      const version = isIP(address);
      const most = version === 6 ? 128 : 32;
      const prefix = bits === undefined ? most : Number(bits);
      if (!version || !Number.isInteger(prefix) || prefix < 0 || prefix > most || bits === '')
        throw new Error(`${range} is no address and no range of addresses, such as 10.0.0.0/8`);
      this.list.addSubnet(address, prefix, version === 6 ? 'ipv6' : 'ipv4');
    }
  }

  get none(): boolean {
    return this.ranges.length === 0;
  }

  has(address: string | undefined): boolean {
    const plain = address?.replace(/^::ffff:(?=\d+\.)/i, '');
    const version = isIP(plain ?? '');
    return version !== 0 && this.list.check(plain!, version === 6 ? 'ipv6' : 'ipv4');
  }
}

/** Where a request came from, and under which address it was sent. */
export interface Origin {
  readonly remote: string | undefined;
  readonly secure: boolean;
  /** Of a trusted proxy, where it names one. */
  readonly host?: string;
}

const isTls = (req: IncomingMessage): boolean => (req.socket as { encrypted?: boolean }).encrypted === true;

/**
 * Client address, scheme and host, by the fields of trusted proxies (RFC 7239, or X-Forwarded-*, common practice) and by nobody else's. Of a chain the
 * last address that is no trusted proxy is the client: what stands before it the client may have written itself.
 */
export function originOf(req: IncomingMessage, trusted: TrustedProxies): Origin {
  const { remoteAddress } = req.socket;
  if (trusted.none || !trusted.has(remoteAddress)) return { remote: remoteAddress, secure: isTls(req) };
  const { forwarded } = req.headers;
  const hops = forwarded === undefined ? undefined : elementsOf(forwarded);
  const chain = hops ? hops.map((h) => h.for) : listOf(req.headers['x-forwarded-for']);
  let at = chain.length;
  let remote = remoteAddress;
  while (at > 0) {
    const address = addressOf(chain[at - 1]);
    if (address === undefined) break;
    remote = address;
    at--;
    if (!trusted.has(address)) break;
  }
  // What the proxy next to the client said of the request.
  const hop = hops?.[Math.min(at, hops.length - 1)];
  const proto = hops ? hop?.proto : listOf(req.headers['x-forwarded-proto']).at(-1);
  const host = hops ? hop?.host : listOf(req.headers['x-forwarded-host']).at(-1);
  return {
    remote,
    secure: proto === undefined ? isTls(req) : proto.toLowerCase() === 'https',
    ...(host !== undefined && { host }),
  };
}

const listOf = (field: string | string[] | undefined): string[] =>
  [field ?? []]
    .flat()
    .join(',')
    .split(',')
    .map((s) => s.trim())
    .filter(Boolean);

/** An address without its port and brackets; undefined for names that hide it (RFC 7239 §6). */
function addressOf(node: string | undefined): string | undefined {
  const text = node?.replace(/^\[([^\]]+)\](?::\d+)?$/, '$1').replace(/^(\d+\.\d+\.\d+\.\d+):\d+$/, '$1');
  return text !== undefined && isIP(text) ? text : undefined;
}

interface Hop {
  readonly for?: string;
  readonly proto?: string;
  readonly host?: string;
}

/** RFC 7239 §4: elements by commas, pairs by semicolons, values as tokens or quoted. */
function elementsOf(field: string): Hop[] {
  const parts = field.match(/(?:[^",]|"(?:[^"\\]|\\.)*")+/g) ?? [];
  return parts.map((part) => {
    const out: Record<string, string> = {};
    for (const [, name, quoted, token] of part.matchAll(
      /([!#$%&'*+.^_`|~0-9A-Za-z-]+)=(?:"((?:[^"\\]|\\.)*)"|([^;\s]*))/g,
    ))
      out[name!.toLowerCase()] = quoted === undefined ? token! : quoted.replace(/\\(.)/g, '$1');
    return out;
  });
}
