import {
  Body,
  refusalMessage,
  Refusal,
  type CallContext,
  type CompiledApi,
  type Message,
  type Observer,
  type Outcome,
  type Ports,
  type StepSeen,
  type SecretPlaces,
  topicRef,
  type TopicRef,
  TokenEndpoint,
} from '@hinge/core';
import { createServer as createTlsServer, type Server as TlsServer } from 'node:https';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { asksForTokens, loadApis, type GatewayConfig, type LoadedApi } from '../config';
import { GATEWAY_LIMITS } from '../limits';
import type { Metrics } from '../telemetry/metrics';
import { traceContext, type TraceContext } from '../telemetry/trace-context';
import type { TraceCollector, TraceHead } from '../telemetry/trace';
import type { TlsOptions } from './certificate';
import { CallerConnections, LightResponse } from './callers';
import { LightRequest } from './light-request';
import { writeWhole } from './one-write';
import { replyHeaders, whyNot, write } from './reply';
import { bodyOf, flatHeaders, incomingOf, isSecure } from './request';
import { Router, type Match } from './router';
import { Sockets, socketType } from './sockets';
import { withoutUpgrade } from './upgrade';

export interface ServerOptions {
  readonly ports: Ports;
  readonly metrics: Metrics;
  readonly traces: TraceCollector;
  readonly tokens?: TokenEndpoint;
  readonly tls?: TlsOptions;
}

const TLS_LEAST = 'TLSv1.2' as const;

interface Taken {
  readonly req: IncomingMessage;
  readonly res: ServerResponse;
  readonly trace: TraceContext;
  /** Of the port's clock. */
  readonly started: number;
}

/** Callers' port: routes, runs flows, writes replies. */
export class GatewayServer {
  private readonly server: Server;
  private router = new Router([]);
  private config: GatewayConfig = { revision: 'none', apis: [] };
  private apis: readonly LoadedApi[] = [];
  private byName = new Map<string, CompiledApi>();
  private secrets: SecretPlaces | undefined;
  private givesTokens = false;
  private inFlight = 0;
  private draining = false;
  private readonly callers = new CallerConnections(GATEWAY_LIMITS.keepAliveMs);
  private readonly sockets = new Sockets({
    listen: (req) => this.ask(req, 'GET', Body.empty(), {}),
    publish: (req, text) =>
      this.ask(req, 'POST', Body.ofText(text, socketType(text)), { 'content-type': socketType(text) }),
  });

  constructor(private readonly options: ServerOptions) {
    const bounds = {
      headersTimeout: GATEWAY_LIMITS.headersMs,
      requestTimeout: GATEWAY_LIMITS.requestMs,
      maxHeaderSize: GATEWAY_LIMITS.headerBytes,
      keepAliveTimeout: 0,
      IncomingMessage: LightRequest,
      ServerResponse: LightResponse,
    };
    const take = (req: IncomingMessage, res: ServerResponse) => this.take(req, res);
    const { tls } = options;
    // Asked for, not demanded: each door says by its guard whether it wants one.
    const asked = tls && {
      ...tls,
      requestCert: tls.ca !== undefined,
      rejectUnauthorized: false,
      minVersion: TLS_LEAST,
    };
    this.server = asked ? createTlsServer({ ...bounds, ...asked }, take) : createServer(bounds, take);
    this.server.on('connection', writeWhole);
    this.server.on(asked ? 'secureConnection' : 'connection', (socket: Socket) => this.callers.opened(socket));
    this.server.on('upgrade', (req: IncomingMessage, socket: Duplex, head: Buffer) => {
      this.callers.left(req.socket);
      if (this.isSocket(req)) void this.sockets.upgrade(req, socket, head);
      else withoutUpgrade(req, socket as Socket, head, (q, s) => this.take(q, s));
    });
  }

  get revision(): string {
    return this.config.revision;
  }

  get current(): GatewayConfig {
    return this.config;
  }

  get loaded(): readonly LoadedApi[] {
    return this.apis;
  }

  /** Topics of an API as they stand here; those that cannot be reached are left out. */
  topicsOf(api: string): TopicRef[] {
    const document = this.apis.find((a) => a.config.slug === api)?.config.document;
    if (!document) return [];
    return Object.keys(document.topics ?? {})
      .map((name) => topicRef(document, name, this.config.environment))
      .filter((ref) => typeof ref !== 'string');
  }

  /** Compiles all and swaps it in at once; throws, and changes nothing, when a document cannot be compiled. */
  apply(config: GatewayConfig): void {
    const apis = loadApis(config);
    const router = new Router(apis);
    this.config = config;
    this.apis = apis;
    this.byName = new Map(apis.map((a) => [a.config.slug, a.compiled]));
    // A request that hit no door may still carry a key that one of them knows.
    this.secrets = {
      headers: new Set(apis.flatMap((a) => [...a.compiled.secrets.headers])),
      query: new Set(apis.flatMap((a) => [...a.compiled.secrets.query])),
    };
    this.givesTokens = this.options.tokens !== undefined && apis.some((a) => asksForTokens(a.config.document));
    this.router = router;
  }

  async listen(port: number, host = '127.0.0.1'): Promise<number> {
    await new Promise<void>((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, host, () => {
        this.server.off('error', reject);
        resolve();
      });
    });
    return (this.server.address() as AddressInfo).port;
  }

  /** Other certificates for connections that begin from now on. */
  renew(tls: TlsOptions): void {
    if ('setSecureContext' in this.server)
      (this.server as TlsServer).setSecureContext({ ...tls, minVersion: TLS_LEAST });
  }

  /** Stops accepting, waits for requests in flight, at most GATEWAY_LIMITS.drainMs. */
  async drain(): Promise<void> {
    this.draining = true;
    this.sockets.close();
    const closed = new Promise<void>((resolve) => this.server.close(() => resolve()));
    this.server.closeIdleConnections();
    this.callers.closeUnused();
    // A connection whose request has just ended is idle only now.
    const idle = setInterval(() => this.server.closeIdleConnections(), 50);
    const force = setTimeout(() => this.server.closeAllConnections(), GATEWAY_LIMITS.drainMs);
    await closed;
    clearInterval(idle);
    clearTimeout(force);
    this.callers.stop();
  }

  readonly neighbour = (name: string): CompiledApi | undefined => this.byName.get(name);

  private take(req: IncomingMessage, res: ServerResponse): void {
    this.callers.asked(req.socket);
    const started = this.options.ports.clock.now();
    const trace = traceContext(req.headers.traceparent as string | undefined);
    this.inFlight++;
    this.options.metrics.inFlight = this.inFlight;
    if (this.draining) res.setHeader('connection', 'close');
    const call: Taken = { req, res, trace, started };
    try {
      if (!this.answer(call)) this.done();
    } catch (error) {
      this.failed(call, error);
    }
  }

  private done(): void {
    this.inFlight--;
    this.options.metrics.inFlight = this.inFlight;
  }

  /** Nothing in a request may bring the gateway down. */
  private failed({ req, res, trace }: Taken, error: unknown): void {
    this.done();
    if (!res.headersSent)
      write(req, res, refusalMessage(new Refusal('HNG-420', { cause: error }), req.url ?? '/', trace.traceId), []);
    else res.destroy();
  }

  /** What is written when it comes, and then done. */
  private later<T>(call: Taken, answer: Promise<T>, write: (answer: T) => void): true {
    const failed = (error: unknown) => this.failed(call, error);
    answer.then((a) => {
      try {
        write(a);
      } catch (error) {
        return failed(error);
      }
      this.done();
    }, failed);
    return true;
  }

  /** True where something is waited for. */
  private answer(call: Taken): boolean {
    const { req, res, trace } = call;
    const raw = req.url ?? '/';
    const cut = raw.indexOf('?');
    const url = cut < 0 ? raw : raw.slice(0, cut);
    const search = cut < 0 ? '' : raw.slice(cut);
    const host = req.headers.host;
    const headers = flatHeaders(req);
    const body = bodyOf(req, headers);
    const request: Message = { method: req.method, path: raw, headers, body };
    if (this.givesTokens && TokenEndpoint.serves(url)) {
      const origin = `${isSecure(req) ? 'https' : 'http'}://${host ?? ''}`;
      const asked = { method: req.method ?? 'GET', url, headers, body, remote: req.socket.remoteAddress, origin };
      return this.later(call, this.options.tokens!.answer(asked), (reply) => write(req, res, reply, []));
    }
    // A browser that asks first is answered here, also where the flow would take any method.
    const wanted = req.method === 'OPTIONS' ? headers['access-control-request-method'] : undefined;
    const asked = wanted === undefined ? undefined : this.router.find(wanted, url, host)?.route.operation;
    if (asked?.preflight) {
      write(req, res, asked.preflight(headers, this.router.methodsAt(url, host)), []);
      return false;
    }
    const match =
      this.inFlight > GATEWAY_LIMITS.concurrent ? undefined : this.router.find(req.method ?? 'GET', url, host);
    if (!match) {
      this.refuse(call, request, url, host);
      return false;
    }
    const sampled = this.options.traces.wanted && Math.random() < (this.config.traceShare ?? 1);
    const seen: StepSeen[] | undefined = sampled ? [] : undefined;
    const outcome = match.route.operation.handle(
      incomingOf(req, match, { method: req.method ?? 'GET', url, search, headers, body }),
      this.contextOf(match, trace, seen && { step: (s) => void seen.push(s) }),
    );
    return this.later(call, outcome, (o) => this.reply(call, match, request, o, seen));
  }

  private contextOf(match: Match, trace: TraceContext, observer?: Observer): CallContext {
    return {
      api: match.route.api.config.slug,
      ports: this.options.ports,
      environment: this.config.environment,
      env: this.config.variables ?? {},
      traceId: trace.traceId,
      outbound: { traceparent: trace.traceparent },
      apis: this.neighbour,
      observer,
    };
  }

  private reply(
    call: Taken,
    match: Match,
    request: Message,
    outcome: Outcome,
    seen: readonly StepSeen[] | undefined,
  ): void {
    const { req, res, trace, started } = call;
    const operation = outcome.operation ?? match.route.operation;
    const { config, compiled } = match.route.api;
    const ms = this.options.ports.clock.now() - started;
    const { reply } = outcome;
    write(req, res, reply, replyHeaders(match, trace, ms, outcome.backendMs));
    outcome.reply = request;
    const status = reply.status ?? 500;
    this.options.metrics.answered(config.slug, operation.id, status, ms / 1000);
    if (!seen) return;
    this.options.traces.add({
      head: this.headOf(call, request, status, ms, {
        backendMs: outcome.backendMs,
        api: config.slug,
        release: config.release,
        door: match.route.door,
        operation: operation.id,
        app: outcome.identity?.app?.id,
        plan: outcome.identity?.plan?.name,
      }),
      request,
      reply,
      seen,
      operation,
      startedMs: started,
      refusal: outcome.refusal,
      secrets: compiled.secrets,
    });
  }

  /** Only where events are does a WebSocket begin; anywhere else the request is one like every other. */
  private isSocket(req: IncomingMessage): boolean {
    if (req.headers.upgrade?.toLowerCase() !== 'websocket') return false;
    const url = (req.url ?? '/').split('?', 1)[0]!;
    const found = this.router.find('GET', url, req.headers.host);
    return found?.route.operation.streams === true;
  }

  /** A request that has no response of its own: of a WebSocket, or within one. */
  private async ask(
    req: IncomingMessage,
    method: 'GET' | 'POST',
    body: Body,
    more: Readonly<Record<string, string>>,
  ): Promise<Message> {
    const trace = traceContext(req.headers.traceparent as string | undefined);
    const raw = req.url ?? '/';
    const [url = '/', search = ''] = raw.split(/(?=\?)/, 2);
    const match = this.router.find(method, url, req.headers.host);
    if (!match)
      return refusalMessage(
        new Refusal('HNG-401', { detail: 'No topic of any API here has this path.' }),
        url,
        trace.traceId,
      );
    const { connection: _c, upgrade, ...rest } = flatHeaders(req);
    const headers = { ...rest, ...(method === 'GET' && { upgrade: upgrade ?? '' }), ...more };
    const outcome = await match.route.operation.handle(
      incomingOf(req, match, { method, url, search, headers, body }),
      this.contextOf(match, trace),
    );
    this.options.metrics.answered(
      match.route.api.config.slug,
      match.route.operation.id,
      outcome.reply.status ?? 500,
      0,
    );
    return outcome.reply;
  }

  /** Written out: copying one object into another costs many times more. */
  private headOf(
    { req, trace, started }: Taken,
    request: Message,
    status: number,
    ms: number,
    of: Pick<TraceHead, 'backendMs' | 'api' | 'release' | 'door' | 'operation' | 'app' | 'plan' | 'offered'>,
  ): TraceHead {
    return {
      id: trace.spanId,
      traceId: trace.traceId,
      at: Date.now() - (this.options.ports.clock.now() - started),
      api: of.api,
      release: of.release,
      environment: this.config.environment,
      app: of.app,
      plan: of.plan,
      door: of.door,
      operation: of.operation,
      method: req.method ?? 'GET',
      url: request.path ?? '/',
      status,
      ms,
      backendMs: of.backendMs,
      offered: of.offered,
    };
  }

  private refuse(call: Taken, request: Message, url: string, host: string | undefined): void {
    const { req, res, trace, started } = call;
    const near = this.router.doorOf(url);
    const allowed = this.router.methodsAt(url, host);
    const busy = this.inFlight > GATEWAY_LIMITS.concurrent;
    const refusal = whyNot(req.method, allowed, busy);
    const reply = refusalMessage(refusal, url, trace.traceId);
    write(req, res, reply, ['traceresponse', trace.traceparent]);
    const ms = this.options.ports.clock.now() - started;
    this.options.metrics.answered(near?.api.config.slug ?? 'none', 'none', refusal.status, ms / 1000);
    if (!this.options.traces.wanted) return;
    const offered = near
      ? [...(near.api.compiled.operations.get(near.door) ?? [])].map((o) => `${o.method} ${near.base}${o.path}`)
      : this.apis.flatMap((a) => a.compiled.doors.map((d) => `${d.path} (${a.config.document.api.name})`));
    this.options.traces.add({
      head: this.headOf(call, request, refusal.status, ms, {
        backendMs: 0,
        api: near?.api.config.slug,
        release: near?.api.config.release,
        door: near?.door,
        offered,
      }),
      request,
      reply,
      seen: [],
      startedMs: started,
      refusal,
      secrets: near?.api.compiled.secrets ?? this.secrets,
    });
  }
}
