import FindMyWay from 'find-my-way';
import type { LoadedApi, Route } from '../config';

export interface Match {
  readonly route: Route;
  readonly path: Readonly<Record<string, string>>;
  /** What a trailing wildcard took, percent-encoding as received. */
  readonly rest: string;
}

const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'] as const;
type Method = (typeof METHODS)[number];

interface Stored {
  readonly route: Route;
  readonly names: readonly string[];
  readonly wildcard: boolean;
}

/** Routes of all doors. Built whole for each configuration and swapped in one assignment. */
export class Router {
  private readonly router = FindMyWay({ ignoreTrailingSlash: true, maxParamLength: 8192 });
  /** No door names hosts: whatever a request says of its host is not looked at. */
  private anyHost = true;
  private readonly bases: { base: string; api: LoadedApi; door: string }[] = [];

  constructor(apis: readonly LoadedApi[]) {
    for (const api of apis) {
      for (const door of api.compiled.doors) {
        const base = door.path.replace(/\/+$/, '');
        this.bases.push({ base, api, door: door.name });
        for (const operation of api.compiled.operations.get(door.name) ?? [])
          this.add({ api, door: door.name, base, operation }, door.hosts);
      }
    }
    this.bases.sort((a, b) => b.base.length - a.base.length);
  }

  private add(route: Route, hosts: readonly string[]): void {
    const { path, names, wildcard } = template((route.base + route.operation.path).replace(/(.)\/+$/, '$1'));
    const methods: readonly Method[] =
      route.operation.method === 'ANY'
        ? METHODS
        : route.operation.method === 'GET'
          ? ['GET', 'HEAD']
          : [route.operation.method as Method];
    const store: Stored = { route, names, wildcard };
    const paths = wildcard ? [path, path.slice(0, -2) || '/'] : [path];
    if (hosts.length) this.anyHost = false;
    for (const host of hosts.length ? hosts : [undefined]) {
      const constraints = host === undefined ? {} : { constraints: { host } };
      for (const p of paths) {
        for (const method of methods) {
          // Two operations on one path are a finding; on a gateway the first keeps it.
          if (!this.router.hasRoute(method, p, host === undefined ? undefined : { host }))
            this.router.on(method, p, constraints, () => undefined, store);
        }
      }
    }
  }

  /** `host` as the request names it, port and all. */
  find(method: string, url: string, host: string | undefined): Match | undefined {
    const found = this.router.find(method as Method, url, this.constraints(host));
    if (!found) return undefined;
    const { route, names, wildcard } = found.store as Stored;
    const path: Record<string, string> = {};
    for (let i = 0; i < names.length; i++) path[names[i]!] = found.params[`p${i}`] ?? '';
    return { route, path, rest: wildcard ? url.slice(restStart(route, url)) : '' };
  }

  /** Methods that answer at this path: what Allow says (RFC 9110 §10.2.1). */
  methodsAt(url: string, host: string | undefined): string[] {
    const constraints = this.constraints(host);
    return METHODS.filter((m) => this.router.find(m, url, constraints));
  }

  private constraints(host: string | undefined): { host: string } | undefined {
    return host === undefined || this.anyHost ? undefined : { host: host.replace(/:\d+$/, '') };
  }

  /** The door whose base path the URL is under, for telling which paths exist there. */
  doorOf(url: string): { api: LoadedApi; door: string; base: string } | undefined {
    return this.bases.find(({ base }) => url === base || url.startsWith(`${base}/`));
  }
}

function restStart(route: Route, url: string): number {
  const fixed = route.base + route.operation.path.slice(0, -2);
  return Math.min(fixed.length, url.length);
}

/** `{name}` becomes a parameter by position: names in documents may hold what the router's syntax does not know. */
function template(path: string): { path: string; names: string[]; wildcard: boolean } {
  const names: string[] = [];
  const out = path
    .split(/(\{[^}]*\})/)
    .map((part) => {
      if (!part.startsWith('{')) return part.replace(/:/g, '::');
      names.push(part.slice(1, -1));
      return `:p${names.length - 1}`;
    })
    .join('');
  return { path: out || '/', names, wildcard: out.endsWith('/*') };
}
