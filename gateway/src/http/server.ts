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
  type Target,
  topicRef,
  type TopicRef,
  TokenEndpoint,
} from '@hinge/core';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { asksForTokens, loadApis, type GatewayConfig, type LoadedApi } from '../config';
import { GATEWAY_LIMITS } from '../limits';
import type { Metrics } from '../telemetry/metrics';
import { traceContext, type TraceContext } from '../telemetry/trace-context';
import type { TraceCollector } from '../telemetry/trace';
import type { TlsOptions } from './certificate';
import { Listener, type DrainEnd } from './listener';
import { headOf, type Taken } from './taken';
import { replyHeaders, whyNot, write } from './reply';
import { originOf, TrustedProxies } from './forwarded';
import { askedOf, bodyOf, flatHeaders, incomingOf, type Asked } from './request';
import { Router, type Match } from './router';
import { Sockets, socketType } from './sockets';

export interface ServerOptions {
  readonly ports: Ports;
  readonly metrics: Metrics;
  readonly traces: TraceCollector;
  readonly tokens?: TokenEndpoint;
  readonly tls?: TlsOptions;
  readonly trusted?: TrustedProxies;
  /** Told of each request that the gateway or a backend failed at. */
  readonly failed?: (failure: FailedRequest) => void;
}

/** A request that ended with 500 or above, for its owner. */
export interface FailedRequest {
  readonly api?: string;
  readonly operation: string;
  readonly status: number;
  readonly refusal: Refusal;
  readonly traceId: string;
}

/** For callers. */
const READ_ELSEWHERE =
  'The path can be read in several ways that lead to different operations. Escape what is meant as data only once, and leave dots, slashes and semicolons plain.';

/** Callers' port: routes, runs flows, writes replies. */
export class GatewayServer {
  private readonly listener: Listener;
  private readonly trusted: TrustedProxies;
  private router = new Router([]);
  private config: GatewayConfig = { revision: 'none', apis: [] };
  private apis: readonly LoadedApi[] = [];
  private byName = new Map<string, CompiledApi>();
  private secrets: SecretPlaces | undefined;
  private givesTokens = false;
  private inFlight = 0;
  private readonly sockets = new Sockets({
    listen: (req) => this.ask(req, 'GET', Body.empty(), {}),
    publish: (req, text) =>
      this.ask(req, 'POST', Body.ofText(text, socketType(text)), { 'content-type': socketType(text) }),
  });

  constructor(private readonly options: ServerOptions) {
    this.trusted = options.trusted ?? new TrustedProxies();
    this.listener = new Listener({
      tls: options.tls,
      take: (req, res) => this.take(req, res),
      isSocket: (req) => this.isSocket(req),
      upgrade: (req, socket, head) => void this.sockets.upgrade(req, socket, head),
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

  listen(port: number, host = '127.0.0.1'): Promise<number> {
    return this.listener.listen(port, host);
  }

  /** Other certificates for connections that begin from now on. */
  renew(tls: TlsOptions): void {
    this.listener.renew(tls);
  }

  get draining(): boolean {
    return this.listener.draining;
  }

  /** Stops accepting, and waits for what goes on; at most GATEWAY_LIMITS.drainMs. */
  drain(): Promise<DrainEnd> {
    const ended = this.listener.drain();
    this.sockets.close();
    return ended;
  }

  readonly neighbour = (name: string): CompiledApi | undefined => this.byName.get(name);

  private take(req: IncomingMessage, res: ServerResponse): void {
    const started = this.options.ports.clock.now();
    const trace = traceContext(req.headers.traceparent as string | undefined);
    this.inFlight++;
    this.options.metrics.inFlight = this.inFlight;
    const call: Taken = { req, res, trace, started };
    try {
      if (!this.answer(call)) this.done();
    } catch (error) {
      this.failed(call, error);
    }
  }

  private now(): number {
    return this.options.ports.clock.now();
  }

  private done(): void {
    this.inFlight--;
    this.options.metrics.inFlight = this.inFlight;
  }

  /** Nothing in a request may bring the gateway down. */
  private failed({ req, res, trace }: Taken, error: unknown): void {
    this.done();
    const refusal = new Refusal('HNG-420', { cause: error, inner: (error as Error).message });
    this.options.failed?.({ operation: req.url ?? '/', status: 500, refusal, traceId: trace.traceId });
    if (!res.headersSent) write(req, res, refusalMessage(refusal, req.url ?? '/', trace.traceId), []);
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
    const headers = flatHeaders(req);
    const body = bodyOf(req, headers);
    let asked: Asked;
    try {
      asked = askedOf(req);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      this.refuse(call, { method: req.method, path: req.url, headers, body }, error);
      return false;
    }
    const { target } = asked;
    const origin = originOf(req, this.trusted);
    const host = origin.host ?? asked.host;
    if (origin.host !== undefined) headers.host = origin.host;
    const { path: url, search } = target;
    const request: Message = { method: req.method, path: search === '' ? url : url + search, headers, body };
    if (target.form === 'asterisk') return this.aboutItself(call, request);
    if (this.givesTokens && TokenEndpoint.serves(url)) {
      const own = `${origin.secure ? 'https' : 'http'}://${host ?? ''}`;
      const wish = { method: req.method ?? 'GET', url, headers, body, remote: origin.remote, origin: own };
      return this.later(call, this.options.tokens!.answer(wish), (reply) => write(req, res, reply, []));
    }
    // A browser that asks first is answered here, also where the flow would take any method.
    const wanted = req.method === 'OPTIONS' ? headers['access-control-request-method'] : undefined;
    const before = wanted === undefined ? undefined : this.router.find(wanted, url, host)?.route.operation;
    if (before?.preflight) {
      write(req, res, before.preflight(headers, this.router.methodsAt(url, host)), []);
      return false;
    }
    const match =
      this.inFlight > GATEWAY_LIMITS.concurrent ? undefined : this.router.find(req.method ?? 'GET', url, host);
    if (!match) {
      const busy = this.inFlight > GATEWAY_LIMITS.concurrent;
      this.refuse(call, request, whyNot(req.method, this.router.methodsAt(url, host), busy));
      return false;
    }
    if (target.readings.length && this.router.readElsewhere(req.method ?? 'GET', target, host, match)) {
      this.refuse(call, request, new Refusal('HNG-409', { detail: READ_ELSEWHERE }));
      return false;
    }
    const sampled = this.options.traces.takes(this.config.traceShare);
    const seen: StepSeen[] | undefined = sampled ? [] : undefined;
    const outcome = match.route.operation.handle(
      incomingOf(req, match, origin, { method: req.method ?? 'GET', url, search, headers, body }),
      this.contextOf(match, trace, seen && { step: (s) => void seen.push(s) }),
    );
    return this.later(call, outcome, (o) => this.reply(call, match, request, o, seen));
  }

  /** OPTIONS for the server as a whole (RFC 9110 §9.3.7): there is nothing to say of it. */
  private aboutItself(call: Taken, request: Message): false {
    const { req, res } = call;
    if (req.method === 'OPTIONS') write(req, res, { status: 204, headers: {}, body: Body.empty() }, []);
    else
      this.refuse(
        call,
        request,
        new Refusal('HNG-409', { detail: 'The target * is for OPTIONS alone (RFC 9112 §3.2.4).' }),
      );
    return false;
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
    const { refusal } = outcome;
    if (refusal && status >= 500)
      this.options.failed?.({ api: config.slug, operation: operation.id, status, refusal, traceId: trace.traceId });
    // What failed is kept, if not step by step.
    if (!seen && !(refusal && status >= 500 && this.options.traces.wanted)) return;
    this.options.traces.add({
      head: headOf(call, this.now(), request, {
        environment: this.config.environment,
        status,
        ms,
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
      seen: seen ?? [],
      operation,
      startedMs: started,
      refusal,
      secrets: compiled.secrets,
    });
  }

  /** Only where events are does a WebSocket begin; anywhere else the request is one like every other. */
  private isSocket(req: IncomingMessage): boolean {
    try {
      const { target, host } = askedOf(req);
      return this.matchOf('GET', target, host)?.route.operation.streams === true;
    } catch {
      // Told as to any request.
      return false;
    }
  }

  /** The operation that a target leads to in every reading. */
  private matchOf(method: string, target: Target, host: string | undefined): Match | undefined {
    const match = this.router.find(method, target.path, host);
    return match && !this.router.readElsewhere(method, target, host, match) ? match : undefined;
  }

  /** A request that has no response of its own: of a WebSocket, or within one. */
  private async ask(
    req: IncomingMessage,
    method: 'GET' | 'POST',
    body: Body,
    more: Readonly<Record<string, string>>,
  ): Promise<Message> {
    const trace = traceContext(req.headers.traceparent as string | undefined);
    const { target, host } = askedOf(req);
    const { path: url, search } = target;
    const match = this.matchOf(method, target, host);
    if (!match)
      return refusalMessage(
        new Refusal('HNG-401', { detail: 'No topic of any API here has this path.' }),
        url,
        trace.traceId,
      );
    const { connection: _c, upgrade, ...rest } = flatHeaders(req);
    const headers = { ...rest, ...(method === 'GET' && { upgrade: upgrade ?? '' }), ...more };
    const outcome = await match.route.operation.handle(
      incomingOf(req, match, originOf(req, this.trusted), { method, url, search, headers, body }),
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

  /** For a request that came to no operation. */
  private refuse(call: Taken, request: Message, refusal: Refusal): void {
    const { req, res, trace, started } = call;
    const url = (request.path ?? '/').split('?', 1)[0]!;
    const near = this.router.doorOf(url);
    const reply = refusalMessage(refusal, url, trace.traceId);
    write(req, res, reply, ['traceresponse', trace.traceparent]);
    const ms = this.options.ports.clock.now() - started;
    this.options.metrics.answered(near?.api.config.slug ?? 'none', 'none', refusal.status, ms / 1000);
    if (!this.options.traces.wanted) return;
    const offered = near
      ? [...(near.api.compiled.operations.get(near.door) ?? [])].map((o) => `${o.method} ${near.base}${o.path}`)
      : this.apis.flatMap((a) => a.compiled.doors.map((d) => `${d.path} (${a.config.document.api.name})`));
    this.options.traces.add({
      head: headOf(call, this.now(), request, {
        environment: this.config.environment,
        status: refusal.status,
        ms,
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
