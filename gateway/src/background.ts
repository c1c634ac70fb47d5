import {
  Body,
  filledPath,
  changeEvent,
  consumerOf,
  eventHeaders,
  pollerOf,
  readValues,
  refWith,
  topicRef,
  type CompiledOperation,
  type ConsumerDocument,
  type Handled,
  type Incoming,
  type Message,
  type PollDocument,
  type Ports,
  type Seen,
  type StepSeen,
  type StopTaking,
  type TopicEvent,
  type TopicRef,
} from '@hinge/core';
import type { GatewayConfig, LoadedApi } from './config';
import type { Metrics } from './telemetry/metrics';
import { traceContext } from './telemetry/trace-context';
import type { TraceCollector } from './telemetry/trace';

/** What of the server the work without callers needs. */
export interface Running {
  readonly current: GatewayConfig;
  readonly loaded: readonly LoadedApi[];
}

interface Work {
  readonly key: string;
  /** What the broker knows a consumer by; another that is called so takes its place. */
  readonly place: string;
  stop(forget: boolean): Promise<void>;
}

/** Consumers and polls of everything that the gateway runs: begun and ended as the configuration says, each traced like a request. */
export class Background {
  private works = new Map<string, Work>();
  /** Changes of the configuration, one after the other. */
  private changing: Promise<void> = Promise.resolve();
  private closed = false;

  constructor(
    private readonly server: Running,
    private readonly ports: Ports,
    private readonly metrics: Metrics,
    private readonly traces: TraceCollector,
    private readonly log: (words: string) => void,
  ) {}

  /** Begins what is new and ends what is no more; what stays the same goes on, with the operations of today. */
  apply(): Promise<void> {
    this.changing = this.changing.then(() => this.change());
    return this.changing;
  }

  async close(): Promise<void> {
    this.closed = true;
    await this.changing;
    await Promise.all([...this.works.values()].map((w) => w.stop(false)));
    this.works.clear();
  }

  private async change(): Promise<void> {
    if (this.closed) return;
    const wanted = new Map<string, () => Work>();
    const places = new Set<string>();
    const { environment } = this.server.current;
    for (const { config } of this.server.loaded) {
      const { document, slug } = config;
      for (const [name, c] of Object.entries(document.consumers ?? {})) {
        const ref = topicRef(document, c.topic, environment);
        if (c.off || typeof ref === 'string') continue;
        const key = JSON.stringify(['consumer', slug, name, c, ref]);
        places.add(placeOf(slug, name, ref));
        wanted.set(key, () => this.consume(key, slug, name, c, ref));
      }
      for (const [name, p] of Object.entries(document.polls ?? {})) {
        const ref = topicRef(document, p.topic, environment);
        if (p.off || typeof ref === 'string') continue;
        const key = JSON.stringify(['poll', slug, name, p, ref]);
        wanted.set(key, () => this.poll(key, slug, name, p));
      }
    }
    for (const [key, work] of this.works) {
      if (wanted.has(key)) continue;
      this.works.delete(key);
      await work.stop(!places.has(work.place));
    }
    for (const [key, begin] of wanted) if (!this.works.has(key)) this.works.set(key, begin());
  }

  private consume(key: string, slug: string, name: string, document: ConsumerDocument, topic: TopicRef): Work {
    const pause = new Pause();
    const told = (words: string) => this.log(`the consumer ${name} of ${slug}: ${words}`);
    const dead = document.dead;
    const take = consumerOf(document, {
      run: (event) => this.handle(slug, document.operation, `event ${document.topic} ${event.id}`, event),
      ...(dead !== undefined && {
        dead: async (event: TopicEvent, last: Handled) => {
          const extensions = { ...event.extensions, deadstatus: String(last.status), deadtopic: document.topic };
          await this.publish(slug, dead, { ...event, extensions }, event.parameters);
        },
      }),
      wait: (ms) => pause.wait(ms),
      stopped: () => pause.stopped,
      told,
    });
    let end: StopTaking | undefined;
    const begin = async (): Promise<void> => {
      while (!pause.stopped && !end)
        try {
          end = await this.ports.topics!.consume(topic, `${slug}-${name}`, take);
        } catch (error) {
          told(`cannot begin: ${(error as Error).message}`);
          await pause.wait(2000);
        }
    };
    const begun = begin();
    return {
      key,
      place: placeOf(slug, name, topic),
      async stop(forget) {
        pause.stop();
        await begun;
        await end?.(forget);
      },
    };
  }

  private poll(key: string, slug: string, name: string, document: PollDocument): Work {
    const pause = new Pause();
    const compare = pollerOf(document);
    let seen: Seen | undefined;
    const look = async (): Promise<void> => {
      const found = await this.call(slug, document.operation, { url: `poll ${name}`, headers: {}, body: Body.empty() });
      if (found.status >= 400) throw new Error(`${document.operation} answered ${found.status}`);
      const { changes, seen: now } = await compare(found.value, seen);
      const api = this.apiOf(slug);
      const ref = api && topicRef(api.config.document, document.topic, this.server.current.environment);
      if (ref === undefined || typeof ref === 'string') throw new Error(ref ?? 'the API is gone');
      // What could not be told is new again at the next look.
      for (const change of changes)
        try {
          const event = await changeEvent(ref.source, document.topic, name, change);
          const to = one(ref, change.given);
          // Another look would find the same.
          if (typeof to === 'string') this.log(`the poll ${name} of ${slug}: ${change.key} is not told, ${to}`);
          else await this.ports.topics!.publish(to, event);
        } catch (error) {
          now.delete(change.key);
          throw error;
        } finally {
          seen = now;
        }
      seen = now;
    };
    const work = (async () => {
      while (!pause.stopped) {
        await look().catch((error: Error) => this.log(`the poll ${name} of ${slug}: ${error.message}`));
        await pause.wait(document.everySeconds * 1000);
      }
    })();
    return {
      key,
      place: '',
      async stop() {
        pause.stop();
        await work;
      },
    };
  }

  private apiOf(slug: string): LoadedApi | undefined {
    return this.server.loaded.find((a) => a.config.slug === slug);
  }

  /** `given`: for the parameters of the topic. */
  private async publish(
    slug: string,
    topic: string,
    event: TopicEvent,
    given: Readonly<Record<string, string>> | undefined,
  ): Promise<void> {
    const api = this.apiOf(slug);
    const ref = api && topicRef(api.config.document, topic, this.server.current.environment);
    if (ref === undefined || typeof ref === 'string') throw new Error(ref ?? 'the API is gone');
    const to = one(ref, given);
    if (typeof to === 'string') throw new Error(to);
    await this.ports.topics!.publish(to, event);
  }

  private async handle(slug: string, operation: string, url: string, event: TopicEvent): Promise<Handled> {
    const headers = {
      ...eventHeaders(event),
      ...(event.data.mediaType !== undefined && { 'content-type': event.data.mediaType }),
    };
    const path = event.parameters ?? {};
    const { status, value } = await this.call(slug, operation, { url, headers, body: event.data, path });
    const words = (value as { detail?: unknown } | null | undefined)?.detail;
    return { status, ...(typeof words === 'string' && { words }) };
  }

  /** Runs an operation as if it had been called, and keeps a trace of it. */
  private async call(
    slug: string,
    id: string,
    {
      url,
      headers,
      body,
      path = {},
    }: { url: string; headers: Record<string, string>; body: Body; path?: Readonly<Record<string, string>> },
  ): Promise<{ status: number; value: unknown }> {
    const api = this.apiOf(slug);
    const operation = api?.compiled.inside.get(id);
    if (!api || !operation) throw new Error(`there is no operation ${id} of ${slug} now`);
    const trace = traceContext(undefined);
    const { clock } = this.ports;
    const started = clock.now();
    const seen: StepSeen[] = [];
    const { current } = this.server;
    const sampled = this.traces.wanted && Math.random() < (current.traceShare ?? 1);
    const method = operation.method === 'ANY' ? 'POST' : operation.method;
    const incoming: Incoming = {
      ...{
        method,
        url: operation.path,
        path,
        query: {},
        search: '',
        rest: '',
        below: filledPath(operation.path, path),
      },
      headers: { accept: 'application/json', ...headers },
      body,
    };
    const outcome = await operation.handle(incoming, {
      api: slug,
      ports: this.ports,
      environment: current.environment,
      env: current.variables ?? {},
      traceId: trace.traceId,
      outbound: { traceparent: trace.traceparent },
      apis: (name) => this.apiOf(name)?.compiled,
      observer: sampled ? { step: (s) => void seen.push(s) } : undefined,
    });
    const { reply } = outcome;
    if (reply.body.pending) await reply.body.load();
    const status = reply.status ?? 500;
    const ms = clock.now() - started;
    this.metrics.answered(slug, id, status, ms / 1000);
    if (sampled) this.keep(api, operation, { trace, started, ms, url, method, status }, incoming, outcome, seen);
    return { status, value: valueOf(reply) };
  }

  private keep(
    api: LoadedApi,
    operation: CompiledOperation,
    {
      trace,
      started,
      ms,
      url,
      method,
      status,
    }: {
      trace: ReturnType<typeof traceContext>;
      started: number;
      ms: number;
      url: string;
      method: string;
      status: number;
    },
    incoming: Incoming,
    outcome: Awaited<ReturnType<CompiledOperation['handle']>>,
    seen: readonly StepSeen[],
  ): void {
    this.traces.add({
      head: {
        id: trace.spanId,
        traceId: trace.traceId,
        at: Date.now() - ms,
        environment: this.server.current.environment,
        ...{ method, ms, status, url },
        backendMs: outcome.backendMs,
        api: api.config.slug,
        release: api.config.release,
        operation: operation.id,
      },
      request: { method, path: url, headers: incoming.headers, body: incoming.body },
      reply: outcome.reply,
      seen,
      operation,
      startedMs: started,
      refusal: outcome.refusal,
      secrets: api.compiled.secrets,
    });
  }
}

/** The topic that these values mean; a text says why there is none. */
function one(ref: TopicRef, given: Readonly<Record<string, unknown>> = {}): TopicRef | string {
  if (!ref.family) return ref;
  const { values, faults } = readValues(ref.family, given);
  return faults.length
    ? `its topic has a parameter that cannot be: ${faults.map((f) => `${f.parameter} ${f.detail}`).join('; ')}`
    : refWith(ref, values);
}

const placeOf = (slug: string, name: string, topic: TopicRef): string =>
  JSON.stringify([slug, name, topic.broker?.address, topic.address]);

function valueOf(reply: Message): unknown {
  if (reply.body.isEmpty) return undefined;
  try {
    return /json/i.test(reply.headers['content-type'] ?? '') ? reply.body.value() : reply.body.text();
  } catch {
    return reply.body.text();
  }
}

/** Waits that end at once when all is stopped. */
class Pause {
  stopped = false;
  private readonly wakes = new Set<() => void>();

  wait(ms: number): Promise<void> {
    if (this.stopped) return Promise.resolve();
    return new Promise((resolve) => {
      const done = (): void => {
        clearTimeout(timer);
        this.wakes.delete(done);
        resolve();
      };
      const timer = setTimeout(done, ms);
      this.wakes.add(done);
    });
  }

  stop(): void {
    this.stopped = true;
    for (const wake of this.wakes) wake();
  }
}
