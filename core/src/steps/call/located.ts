import type { BackendReply } from '../../flow/ports';
import type { Run } from '../../flow/run';
import type { Headers } from '../../message/headers';
import type { BackendContext } from '../kind';

/** Fields that say where something is: RFC 9110 §10.2.2, §8.7; RFC 8288 §3. */
const FIELDS = ['location', 'content-location', 'link'] as const;

export const tellsPlaces = ({ location, link, 'content-location': content }: Headers): boolean =>
  location !== undefined || link !== undefined || content !== undefined;

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
  if (!Object.keys(moved).length) return reply;
  if (run.observer) run.notes = { ...run.notes, moved };
  return { ...reply, headers };
}

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
