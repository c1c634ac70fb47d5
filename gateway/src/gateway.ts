import { Background } from './background';
import {
  CallerDirectory,
  MemoryStore,
  OwnCounters,
  TokenAuthority,
  TokenEndpoint,
  TopicHubs,
  Webhooks,
  type Ports,
} from '@hinge/core';
import { HttpBackends } from './backends';
import { AllBrokers } from './brokers';
import type { GatewayConfig } from './config';
import { FeedClient, type FeedOptions } from './feed/client';
import { identityIn, LastGood } from './feed/last-good';
import { RevokedTokens } from './feed/revoked';
import type { TlsOptions } from './http/certificate';
import { ControlServer } from './http/control';
import { TrustedProxies } from './http/forwarded';
import { GatewayServer, type FailedRequest } from './http/server';
import { GATEWAY_LIMITS } from './limits';
import { KeptSubscriptions } from './subscriptions';
import { SharedCounters } from './stores/counters';
import { StoreLink, type StoreOptions, type StoreState } from './stores/link';
import { SharedStore } from './stores/replies';
import { Rehearsals } from './rehearsals';
import { watchTls, type TlsFiles } from './tls';
import { RecentTraces } from './telemetry/recent';
import { Metrics } from './telemetry/metrics';
import { TraceCollector } from './telemetry/trace';

export interface GatewayOptions {
  readonly port: number;
  readonly host?: string;
  /** 0 takes any free port; undefined opens none. */
  readonly controlPort?: number;
  readonly config?: GatewayConfig;
  readonly feed?: Omit<FeedOptions, 'apply' | 'callers' | 'rehearse' | 'forget' | 'store' | 'webhooks' | 'resend'>;
  /** The callers' port ends TLS itself; in clear text without it. */
  readonly tls?: TlsOptions;
  /** Where that comes from: looked at again while the gateway runs. */
  readonly tlsFiles?: TlsFiles;
  /** Counts and remembered replies for many gateways; in this process without it. */
  readonly store?: StoreOptions;
  /** Folder that keeps the last good configuration; without it nothing is kept. */
  readonly stateDir?: string;
  /** Name under which brokers keep what this gateway has not confirmed; the one in `stateDir` when absent. */
  readonly identity?: string;
  /** Addresses and ranges of proxies whose fields on client, host and scheme are believed. */
  readonly trustProxy?: readonly string[];
  readonly failed?: (failure: FailedRequest) => void;
  readonly log?: (message: string, more?: Record<string, unknown>) => void;
}

export interface RunningGateway {
  readonly port: number;
  readonly controlPort?: number;
  readonly server: GatewayServer;
  /** Another configuration, taken whole or, throwing, not at all; what is under way goes on with the old one. */
  apply(config: GatewayConfig): void;
  stop(): Promise<void>;
}

/** A port that cannot be had. */
export class PortError extends Error {
  constructor(
    readonly which: 'callers' | 'control',
    readonly port: number,
    readonly code: string | undefined,
    cause: unknown,
  ) {
    super(`the ${which === 'control' ? 'control' : "callers'"} port ${port} cannot be had: ${code ?? String(cause)}`, {
      cause,
    });
  }
}

const naming =
  (which: PortError['which'], port: number) =>
  (error: NodeJS.ErrnoException): never => {
    throw new PortError(which, port, error.code, error);
  };

/** Waits for the end of something, but not for ever: a gateway that is told to stop stops. */
async function inTime(what: string, end: Promise<unknown>, log: (message: string) => void): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<void>((resolve) => {
    timer = setTimeout(() => {
      log(`${what} did not end within ${GATEWAY_LIMITS.closeMs / 1000} s and were left`);
      resolve();
    }, GATEWAY_LIMITS.closeMs);
  });
  await Promise.race([end.catch((error: Error) => log(`${what}: ${error.message}`)), late]);
  clearTimeout(timer);
}

/** Subscriptions, and deliveries, that the studio is told of at once. */
const MOST_TOLD = 500;

/** Starts a gateway: on a configuration of its own, on the last good one, or on what the studio sends. */
export async function startGateway(options: GatewayOptions): Promise<RunningGateway> {
  const log = options.log ?? (() => undefined);
  const backends = new HttpBackends();
  const now = () => performance.now();
  const brokers = new AllBrokers(options.identity ?? (options.stateDir && (await identityIn(options.stateDir))));
  const topics = new TopicHubs(brokers, now);
  const { store: shared } = options;
  const link =
    shared &&
    new StoreLink(shared.url, (state, why) => {
      log(`the shared store is ${state}${why ? `: ${why}` : ''}`, { whenAway: shared.whenAway });
      void feed?.tellStore();
    });
  const storeState = (): StoreState => (link ? link.state : 'process');
  const space = () => `hinge:${server.current.environment ?? 'files'}:`;
  const store = link ? new SharedStore(link, space, now) : new MemoryStore(now);
  const counters = link ? new SharedCounters(link, space, shared.whenAway, now) : new OwnCounters(now);
  const subscriptions = new KeptSubscriptions(options.stateDir, log);
  await subscriptions.load();
  const webhooks = new Webhooks(topics, backends, now, log, undefined, subscriptions.save);
  const seconds = () => Date.now() / 1000;
  const callers: CallerDirectory = new CallerDirectory(
    () => server.loaded.map((a) => ({ slug: a.config.slug, document: a.config.document })),
    seconds,
  );
  const revoked = new RevokedTokens(async (tokens) => {
    await feed?.report({ kind: 'revoked', tokens });
  });
  const tokens: TokenAuthority = new TokenAuthority(
    callers,
    () => `urn:up-hinge:${server.current.environment ?? 'files'}`,
    seconds,
    (jti, until) => options.feed && revoked.add({ jti, until }),
  );
  const secrets = {
    get: (name: string) => {
      const all = server.current.secrets;
      return all && Object.hasOwn(all, name) ? all[name] : undefined;
    },
  };
  const clock = { now };
  const ports: Ports = {
    backends,
    clock,
    store,
    topics,
    subscribers: webhooks,
    counters,
    callers,
    tokens,
    secrets,
  };
  const metrics = new Metrics();
  const lastGood = options.stateDir === undefined ? undefined : new LastGood(options.stateDir);
  const rehearsals = new Rehearsals(ports, (name) => server.neighbour(name));
  let fromDisk = false;
  const recent = new RecentTraces();
  // A gateway of files without a control port has nobody who could look.
  const looks = options.feed !== undefined || options.controlPort !== undefined;
  const keep = async (batch: readonly string[]): Promise<void> => {
    recent.keep(batch);
    await feed?.traces(batch);
  };
  const traces = new TraceCollector(looks ? keep : undefined, options.feed ? undefined : GATEWAY_LIMITS.tracesASecond);
  const server: GatewayServer = new GatewayServer({
    ports,
    metrics,
    traces,
    tokens: new TokenEndpoint(tokens, callers, now),
    tls: options.tls,
    trusted: new TrustedProxies(options.trustProxy),
    failed: options.failed,
  });
  const background = new Background(server, ports, metrics, traces, log);
  /** What goes on without callers, as the configuration says now. */
  const begin = (): void => {
    void background.apply();
    subscriptions.restore(webhooks, server);
  };
  const feed: FeedClient | undefined =
    options.feed &&
    new FeedClient({
      ...options.feed,
      log,
      apply: async (config) => {
        server.apply(config);
        begin();
        if (config.callers) callers.apply(config.callers);
        fromDisk = false;
        log(`running revision ${config.revision}`, { apis: config.apis.length });
        await lastGood?.save(config);
      },
      callers: async (known) => {
        callers.apply(known);
        const { apis } = server.current;
        log(`callers of revision ${known.revision}`, { apps: known.apps.length });
        if (apis.length) await lastGood?.save({ ...server.current, callers: known });
      },
      rehearse: (order) => rehearsals.run(order),
      forget: (tag) => store.purge(tag),
      webhooks: (api) => ({
        subscriptions: webhooks.subscribed.filter((s) => s.api === api).slice(0, MOST_TOLD),
        deliveries: webhooks.deliveries.filter((d) => d.api === api).slice(0, MOST_TOLD),
        rates: server
          .topicsOf(api)
          .slice(0, MOST_TOLD)
          .map((ref) => topics.rateOf(ref)),
      }),
      resend: (delivery) => webhooks.resend(delivery),
      store: () => ({ state: storeState(), ...(shared && { whenAway: shared.whenAway }) }),
    });

  await link?.open();
  if (options.config) server.apply(options.config);
  else {
    const kept = await lastGood?.load();
    if (kept) {
      try {
        server.apply(kept);
        if (kept.callers) callers.apply(kept.callers);
        fromDisk = true;
        log(`running the last good configuration, revision ${kept.revision}, until the studio answers`);
      } catch (error) {
        log(`the last good configuration cannot be used: ${(error as Error).message}`);
      }
    }
  }
  begin();
  const health = () => ({
    ready: server.revision !== 'none' && !server.draining,
    revision: server.revision,
    feed: feed ? (feed.connected ? ('connected' as const) : ('away' as const)) : ('none' as const),
    runningOldRevision: feed !== undefined && (fromDisk || !feed.connected),
    store: storeState(),
    ...(shared && { whenStoreAway: shared.whenAway }),
  });
  const watch: { stop?: () => void } = {};
  const control =
    options.controlPort === undefined ? undefined : new ControlServer(metrics, health, webhooks, store, recent);
  const stop = async (): Promise<void> => {
    watch.stop?.();
    const drained = server.drain();
    await inTime('deliveries', Promise.all([webhooks.close(), background.close()]), log);
    await inTime('subscriptions', subscriptions.close(), log);
    // Streams never end by themselves.
    topics.close();
    const cut = await drained;
    if (cut.requests || cut.sockets)
      log(`cut off after ${GATEWAY_LIMITS.drainMs / 1000} s: ${cut.requests} requests, ${cut.sockets} sockets`);
    await inTime('traces', traces.flush(), log);
    revoked.close();
    feed?.stop();
    control?.close();
    link?.close();
    await inTime('backends', backends.close(), log);
    await inTime('brokers', brokers.close(), log);
  };
  let controlPort: number | undefined;
  let port: number;
  try {
    controlPort = await control?.listen(options.controlPort!).catch(naming('control', options.controlPort!));
    port = await server.listen(options.port, options.host).catch(naming('callers', options.port));
  } catch (error) {
    // Nothing that was opened for it may keep the process.
    await stop();
    throw error;
  }
  feed?.start();
  watch.stop =
    options.tls &&
    options.tlsFiles &&
    watchTls(
      options.tlsFiles,
      (tls) => server.renew(tls),
      (words) => log(words),
    );
  return {
    port,
    controlPort,
    server,
    apply(config) {
      server.apply(config);
      begin();
    },
    stop,
  };
}
