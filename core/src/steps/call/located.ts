import type { BackendReply } from '../../flow/ports';
import type { Run } from '../../flow/run';
import type { Headers } from '../../message/headers';
import type { BackendContext } from '../kind';

/** Fields that say where something is: RFC 9110 §10.2.2, §8.7; RFC 8288 §3. */
const FIELDS = ['location', 'content-location', 'link'] as const;

export const tellsPlaces = (h: Headers): boolean =>
  h.location !== undefined ||
  h.link !== undefined ||
  h['content-location'] !== undefined ||
  h['set-cookie'] !== undefined;

/**
 * A reply whose fields name places of the backend, as callers reach them: what lies below the backend's address and what an operation of
 * this API leads to becomes a path of the door. Anything else stays as it came. `url`: what was asked for, below `address`.
 */
export function atDoor(
  reply: BackendReply,
  run: Run,
  backend: BackendContext,
  address: string,
  url: string,
): BackendReply {
  const { base } = run.more;
  if (base === undefined) return reply;
  const headers: Record<string, string> = { ...reply.headers };
  const moved: Record<string, string> = {};
  for (const name of FIELDS) {
    const given = headers[name];
    if (given === undefined) continue;
    const place = (uri: string): string => placeOf(uri, backend, address, url, base) ?? uri;
    const said = name === 'link' ? given.replace(/<([^<>]*)>/g, (_m, uri: string) => `<${place(uri)}>`) : place(given);
    if (said === given) continue;
    headers[name] = said;
    moved[name] = given;
  }
  const cookies = headers['set-cookie'];
  const kept = cookies
    ?.split('\n')
    .map((line) => cookieAtDoor(line, address, base))
    .join('\n');
  if (kept !== undefined && kept !== cookies) {
    headers['set-cookie'] = kept;
    // Its value is nobody's business.
    moved['set-cookie'] = 'Path or Domain';
  }
  if (!Object.keys(moved).length) return reply;
  if (run.observer) run.notes = { ...run.notes, moved };
  return { ...reply, headers };
}

/**
 * A cookie of a backend so that it comes back (RFC 6265 §5.2.3, §5.2.4): a Domain that is the backend's means nothing where callers are, and
 * a Path below the backend's address is one below the door. A Path of / holds there too.
 */
function cookieAtDoor(line: string, address: string, base: string): string {
  const home = URL.parse(address);
  if (!home) return line;
  const root = home.pathname.replace(/\/$/, '');
  const [pair, ...attributes] = line.split(';');
  const kept = attributes.flatMap((a) => {
    const [, name, value] = /^\s*(path|domain)\s*=\s*(.*?)\s*$/i.exec(a) ?? [];
    if (name === undefined) return [a];
    if (name.toLowerCase() === 'domain') return isOf(home.hostname, value!.replace(/^\./, '')) ? [] : [a];
    const below = value === root || value!.startsWith(`${root}/`);
    return root !== '' && below ? [` Path=${base.replace(/\/$/, '')}${value!.slice(root.length)}`] : [a];
  });
  return [pair, ...kept].join(';');
}

const isOf = (host: string, domain: string): boolean => host === domain || host.endsWith(`.${domain}`);

function placeOf(
  given: string,
  backend: BackendContext,
  address: string,
  url: string,
  base: string,
): string | undefined {
  const there = URL.parse(given, url);
  const home = URL.parse(address);
  if (!there || !home || there.origin !== home.origin) return undefined;
  const root = home.pathname.replace(/\/$/, '');
  if (there.pathname !== root && !there.pathname.startsWith(`${root}/`)) return undefined;
  const place = backend.places?.(there.pathname.slice(root.length) || '/');
  return place === undefined ? undefined : `${base.replace(/\/$/, '')}${place}${there.search}${there.hash}`;
}
