import type { JWK } from 'jose';
import type { FlowDocument } from '../flow/document';
import type { Callers, KnownCaller, SubscriptionState } from './ports';

/** One key or client secret: random, of at least 128 bits, so that its SHA-256 tells nothing of it. */
export interface Credential {
  /** SHA-256 in hexadecimal digits. */
  readonly hash: string;
  /** Seconds since 1970 at which it ends; absent: until it is revoked. */
  readonly until?: number;
}

export interface CallersConfig {
  readonly revision: string;
  readonly apps: readonly {
    readonly id: string;
    readonly name: string;
    readonly keys: readonly Credential[];
    readonly secrets: readonly Credential[];
    readonly subscriptions: readonly {
      readonly api: string;
      readonly plan: string;
      readonly state: SubscriptionState;
    }[];
  }[];
  /** Signs tokens of the environment: a private JWK (RFC 7517) for ES256. Without one each gateway makes its own. */
  readonly signing?: { readonly kid: string; readonly key: JWK };
  /** Tokens that were revoked, until they would have ended by themselves. */
  readonly revoked?: readonly { readonly jti: string; readonly until: number }[];
}

export const NO_CALLERS: CallersConfig = { revision: 'none', apps: [] };

type Documents = () => Iterable<{ readonly slug: string; readonly document: FlowDocument }>;
type App = CallersConfig['apps'][number];

/** Looks apps up by what they show: those of the configuration, and those that stand in the document of an API for that API alone. */
export class CallerDirectory implements Callers {
  private config: CallersConfig = NO_CALLERS;
  private keys = new Map<string, { readonly app: App; readonly until: number }>();
  private apps = new Map<string, App>();
  private revoked: ReadonlySet<string> = new Set();

  constructor(
    private readonly documents: Documents,
    private readonly seconds: () => number,
  ) {}

  get current(): CallersConfig {
    return this.config;
  }

  apply(config: CallersConfig): void {
    const keys = new Map<string, { app: App; until: number }>();
    for (const app of config.apps)
      for (const key of app.keys) keys.set(key.hash.toLowerCase(), { app, until: key.until ?? Infinity });
    this.apps = new Map(config.apps.map((a) => [a.id, a]));
    this.keys = keys;
    this.revoked = new Set((config.revoked ?? []).map((r) => r.jti));
    this.config = config;
  }

  byKey(hash: string, api: string | undefined): KnownCaller | undefined {
    const found = this.keys.get(hash);
    return found && found.until > this.seconds() ? known(found.app, api) : undefined;
  }

  byId(id: string, api: string | undefined): KnownCaller | undefined {
    const app = this.apps.get(id);
    return app && known(app, api);
  }

  /**
   * SHA-256 of the live client secrets of an app, and where it stands: one of the gateway (`api` undefined), or one of the document of an API, known there
   * alone. An id that stands in both is two apps.
   */
  secretsOf(id: string, api?: string): string[] {
    if (api !== undefined) return (this.listed(id, api)?.secrets ?? []).map((h) => h.toLowerCase());
    const now = this.seconds();
    return (this.apps.get(id)?.secrets ?? [])
      .filter((s) => (s.until ?? Infinity) > now)
      .map((s) => s.hash.toLowerCase());
  }

  /** Where a client with this id has that secret. */
  placeOf(id: string, hash: string): { readonly api?: string } | undefined {
    if (this.secretsOf(id).includes(hash)) return {};
    for (const { slug } of this.documents()) if (this.secretsOf(id, slug).includes(hash)) return { api: slug };
    return undefined;
  }

  isRevoked(jti: string): boolean {
    return this.revoked.has(jti);
  }

  /** What an app may ask for: the scopes of the plans that it holds. */
  scopesOf(id: string, api?: string): Set<string> {
    const scopes = new Set<string>();
    for (const { slug, document } of this.documents()) {
      const plan =
        api === undefined
          ? this.apps.get(id)?.subscriptions.find((s) => s.api === slug && s.state === 'approved')?.plan
          : slug === api
            ? this.listed(id, api)?.plan
            : undefined;
      for (const scope of (plan !== undefined && document.plans?.[plan]?.scopes) || []) scopes.add(scope);
    }
    return scopes;
  }

  private listed(id: string, api: string) {
    for (const { slug, document } of this.documents())
      if (slug === api) return Object.hasOwn(document.apps ?? {}, id) ? document.apps![id] : undefined;
    return undefined;
  }
}

function known(app: App, api: string | undefined): KnownCaller {
  const subscription = app.subscriptions.find((s) => s.api === api);
  const { id, name } = app;
  if (!subscription) return { id, name, closed: 'none' };
  const { plan, state } = subscription;
  return state === 'approved' ? { id, name, plan } : { id, name, plan, closed: state };
}
