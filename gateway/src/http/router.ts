import { hostOf, normalPath, type Target } from '@hinge/core';
import FindMyWay from 'find-my-way';
import type { LoadedApi, Route } from '../config';
import { matchPath, shownValue } from './match-path';

export interface Match {
  readonly route: Route;
  /** Path parameters, percent-decoded. */
  readonly path: Readonly<Record<string, string>>;
  /** What a trailing wildcard took, percent-encoded. */
  readonly rest: string;
  /** The path below the door, or what a wildcard took; percent-encoded. */
  readonly below: string;
}

const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'] as const;
/** Where the router keeps what answers every other method (RFC 9110 §16.1.1: there may be any). */
const OTHERS = 'PROPFIND';
type Method = (typeof METHODS)[number] | typeof OTHERS;

interface Stored {
  readonly route: Route;
  readonly names: readonly string[];
  readonly wildcard: boolean;
  /** Segments before the wildcard, and of the base path. */
  readonly fixed: number;
  readonly baseSegments: number;
}

/** Routes of all doors. Built whole for each configuration and swapped in one assignment. */
export class Router {
  private readonly router = FindMyWay({ ignoreTrailingSlash: true, maxParamLength: 8192 });
  /** No door names hosts: whatever a request says of its host is not looked at. */
  private anyHost = true;
  private readonly bases: { base: string; api: LoadedApi; door: string }[] = [];

  constructor(apis: readonly LoadedApi[]) {
    // A HEAD of its own goes before the one that every GET implies (RFC 9110 §9.3.2).
    const implied: (() => void)[] = [];
    for (const api of apis) {
      for (const door of api.compiled.doors) {
        const base = normalBase(door.path);
        this.bases.push({ base, api, door: door.name });
        for (const operation of api.compiled.operations.get(door.name) ?? []) {
          const route = { api, door: door.name, base, operation };
          this.add(route, door.hosts, methodsOf(operation.method));
          if (operation.method === 'GET') implied.push(() => this.add(route, door.hosts, ['HEAD']));
        }
      }
    }
    for (const add of implied) add();
    this.bases.sort((a, b) => b.base.length - a.base.length);
  }

  private add(route: Route, hosts: readonly string[], methods: readonly Method[]): void {
    const { path, names, wildcard } = template((route.base + route.operation.path).replace(/(.)\/+$/, '$1'));
    const baseSegments = slashes(route.base);
    const fixed = wildcard ? baseSegments + slashes(route.operation.path) - 1 : 0;
    const store: Stored = { route, names, wildcard, fixed, baseSegments };
    const paths = wildcard ? [path, path.slice(0, -2) || '/'] : [path];
    if (hosts.length) this.anyHost = false;
    for (const given of hosts.length ? hosts : [undefined]) {
      const host = given?.toLowerCase();
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

  /** `path`: normalised. `host` as the request names it, port and all. */
  find(method: string, path: string, host: string | undefined): Match | undefined {
    const found = this.router.find(slotOf(method), matchPath(path), this.constraints(host));
    if (!found) return undefined;
    const { route, names, wildcard, fixed, baseSegments } = found.store as Stored;
    const values: Record<string, string> = {};
    for (let i = 0; i < names.length; i++) values[names[i]!] = shownValue(found.params[`p${i}`] ?? '');
    const below = behind(path, wildcard ? fixed : baseSegments);
    return { route, path: values, rest: wildcard ? below : '', below };
  }

  /**
   * Whether a server that reads the target more leniently than its letters say would come to another operation than the one that was matched: what
   * a guard judged would not be what is answered.
   */
  readElsewhere(method: string, { readings }: Target, host: string | undefined, match: Match): boolean {
    for (const reading of readings) {
      const other = this.find(method, reading, host);
      if (other && other.route.operation !== match.route.operation) return true;
    }
    return false;
  }

  /** Methods that answer at this path: what Allow says (RFC 9110 §10.2.1). */
  methodsAt(path: string, host: string | undefined): string[] {
    const constraints = this.constraints(host);
    const matched = matchPath(path);
    return METHODS.filter((m) => this.router.find(m, matched, constraints));
  }

  private constraints(host: string | undefined): { host: string } | undefined {
    return host === undefined || this.anyHost ? undefined : { host: hostOf(host) };
  }

  /** The door whose base path the URL is under, for telling which paths exist there. */
  doorOf(path: string): { api: LoadedApi; door: string; base: string } | undefined {
    return this.bases.find(({ base }) => path === base || path.startsWith(`${base}/`));
  }
}

const slotOf = (method: string): Method =>
  (METHODS as readonly string[]).includes(method) ? (method as Method) : OTHERS;

function methodsOf(method: string): readonly Method[] {
  return method === 'ANY' ? [...METHODS, OTHERS] : [method as Method];
}

const slashes = (path: string): number => path.split('/').length - 1;

/** What follows the first `count` segments. */
function behind(path: string, count: number): string {
  let at = 0;
  for (let n = 0; n <= count; n++) {
    at = path.indexOf('/', n === 0 ? 0 : at + 1);
    if (at < 0) return '';
  }
  return path.slice(at);
}

/** A base path as requests name it; one that cannot be normalised matches itself alone. */
function normalBase(path: string): string {
  const base = path.replace(/\/+$/, '');
  try {
    return base === '' ? '' : normalPath(asBytes(base));
  } catch {
    return base;
  }
}

/** UTF-8 as a character for each byte, as a request carries it. */
const asBytes = (text: string): string => Buffer.from(text, 'utf8').toString('latin1');

/** `{name}` becomes a parameter by position: names in documents may hold what the router's syntax does not know. */
function template(path: string): { path: string; names: string[]; wildcard: boolean } {
  const wildcard = path.endsWith('/*');
  const names: string[] = [];
  const parts = (wildcard ? path.slice(0, -2) : path).split(/(\{[^}]*\})/);
  const out = parts
    .map((part, i) => {
      if (!part.startsWith('{')) return literal(part);
      names.push(part.slice(1, -1));
      return `:p${names.length - 1}${untilNext(parts[i + 1] ?? '')}`;
    })
    .join('');
  return { path: wildcard ? `${out}/*` : out || '/', names, wildcard };
}

/** A part of a template between two parameters, in any spelling. */
const literal = (text: string): string => matchPath(asBytes(text).replace(/[^\x21-\x7e]/g, escapedByte));
const escapedByte = (c: string): string => `%${c.charCodeAt(0).toString(16).padStart(2, '0')}`;

/** A parameter ends at the text behind it, where that is no slash; without turning back. */
function untilNext(next: string): string {
  const text = literal(next).split('/', 1)[0]!;
  if (text === '') return '';
  const escaped = text.replace(/[.*+?^${}()|[\]\\-]/g, '\\$&');
  return `((?:(?!${escaped})[^])*)`;
}
