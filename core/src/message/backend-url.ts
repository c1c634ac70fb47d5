import { withoutDots } from './target';

/** A URL that would lead away from its backend. `message` is for callers and names no address. */
export class BackendUrlError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'BackendUrlError';
  }
}

interface Base {
  readonly origin: string;
  /** Path of the address without its last slash. */
  readonly path: string;
  /** Query of the address with its `?`, or empty. */
  readonly search: string;
}

/** The same few addresses come with every call. */
const bases = new Map<string, Base>();

function baseOf(address: string): Base {
  let base = bases.get(address);
  if (base) return base;
  const url = new URL(address);
  base = { origin: url.origin, path: url.pathname.replace(/\/$/, ''), search: url.search };
  if (bases.size >= 1_000) bases.clear();
  bases.set(address, base);
  return base;
}

/** Nothing that reading it as a URL would change, and no segment that begins with a dot. */
const PLAIN = /^(?:\/(?!\.)[A-Za-z0-9._~!$'()*+,=:@&-]*)*(?:\?[A-Za-z0-9._~!$'()*+,=:@&/?;%[\]-]*)?$/;

/**
 * The one place where the URL of a call is made: an address of the backend, and a path below it with its query, both percent-encoded for their
 * place. Whatever values went into the path, the URL keeps the address's origin and stays below its path, also for a server that decodes the
 * path once more; anything else is a BackendUrlError. The query of the address comes first.
 */
export function backendUrl(address: string, below: string): string {
  const base = baseOf(address);
  const url = base.search === '' ? base.origin + base.path + below : merged(base, below);
  if (below === '' && base.search === '') return base.path === '' ? `${base.origin}/` : url;
  if (PLAIN.test(below)) return below.startsWith('?') && base.path === '' ? `${base.origin}/${below}` : url;
  return checked(base, below, url);
}

function merged({ origin, path, search }: Base, below: string): string {
  const cut = below.indexOf('?');
  if (cut < 0) return origin + path + below + search;
  return `${origin}${path}${below.slice(0, cut)}${search}&${below.slice(cut + 1)}`;
}

function checked(base: Base, below: string, text: string): string {
  const cut = below.indexOf('?');
  const path = cut < 0 ? below : below.slice(0, cut);
  if (path !== '' && !path.startsWith('/')) throw new BackendUrlError('A path at a backend begins with a slash.');
  if (/[\\#]/.test(path))
    throw new BackendUrlError('A path at a backend holds a character that must be escaped there.');
  if (hasDots(path))
    throw new BackendUrlError(
      'A value in the path is a dot segment (. or ..), which would change the path (RFC 3986 §3.3).',
    );
  const url = URL.parse(text);
  const within = url && (url.pathname === base.path || url.pathname.startsWith(`${base.path}/`));
  if (!within || url.origin !== base.origin || url.username !== '' || url.password !== '')
    throw new BackendUrlError('The path would lead away from the backend.');
  if (base.path !== '' && !lenientlyWithin(base.path, path))
    throw new BackendUrlError('A value in the path would lead away from the backend, were it decoded once more.');
  return url.href;
}

/** RFC 3986 §6.2.2.2: an escaped dot is a dot. */
const hasDots = (path: string): boolean => path.split('/').some((s) => /^(?:\.|%2e){1,2}$/i.test(s));

/** Whether a server that decodes the path before it resolves dot segments stays below the base path. */
function lenientlyWithin(base: string, path: string): boolean {
  let text = path;
  for (let n = 0; n < 4 && /%|\\/.test(text); n++) {
    text = text
      .replace(/%([0-9A-Fa-f]{2})/g, (_e, hex: string) => String.fromCharCode(parseInt(hex, 16)))
      .replaceAll('\\', '/');
    const resolved = withoutDots(`${base}${text}`);
    if (resolved !== base && !resolved.startsWith(`${base}/`)) return false;
  }
  return true;
}
