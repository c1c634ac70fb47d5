import { GraphQLError } from 'graphql';
import { writeJson } from '../codec/json';
import { SocketTalk } from '../events/stream';
import type { Run } from '../flow/run';
import { Refusal } from '../problem';
import type { GraphRequest } from './execute';
import { GRAPH_SOCKET } from './protocol';
import { resultText, type GraphService, type GraphSubscription } from './service';

export const GRAPH_SOCKET_LIMITS = {
  /** Operations that run at once on one socket. */
  operations: 100,
  /** Milliseconds until the other side must have begun. */
  initMs: 10_000,
  /** Texts that wait to be sent; who reads more slowly is cut off. */
  waiting: 1000,
  nextMs: 60_000,
} as const;

interface Incoming {
  readonly id?: unknown;
  readonly type?: unknown;
  readonly payload?: unknown;
}

/** One socket with its operations, each with an id that the client chose. */
export class GraphTalk extends SocketTalk {
  readonly protocol = GRAPH_SOCKET;
  closing: { readonly code: number; readonly words: string } | undefined;
  private readonly out: string[] = [];
  private readonly running = new Map<string, GraphSubscription | undefined>();
  private wake: (() => void) | undefined;
  private begun = false;
  private ended = false;
  private readonly late: ReturnType<typeof setTimeout>;

  constructor(
    private readonly service: GraphService,
    /** A run for one operation; the guards of the door let the socket in. */
    private readonly runFor: () => Run,
    private readonly requestOf: (payload: unknown) => Promise<GraphRequest>,
  ) {
    super();
    this.late = setTimeout(() => {
      if (!this.begun) this.end(4408, 'Connection initialisation timeout');
    }, GRAPH_SOCKET_LIMITS.initMs);
    (this.late as { unref?: () => void }).unref?.();
  }

  get behind(): boolean {
    return this.closing?.code === 1013;
  }

  take(text: string): void {
    if (this.ended) return;
    let m: Incoming;
    try {
      m = JSON.parse(text) as Incoming;
    } catch {
      this.end(4400, 'The message is no JSON');
      return;
    }
    switch (m?.type) {
      case 'connection_init':
        if (this.begun) this.end(4429, 'Too many initialisation requests');
        else {
          this.begun = true;
          this.send({ type: 'connection_ack' });
        }
        return;
      case 'ping':
        this.send({ type: 'pong' });
        return;
      case 'pong':
        return;
      case 'complete':
        if (typeof m.id === 'string') this.stop(m.id);
        return;
      case 'subscribe':
        if (!this.begun) this.end(4401, 'Unauthorized');
        else if (typeof m.id !== 'string' || !m.id) this.end(4400, 'A subscription needs an id');
        else if (this.running.has(m.id)) this.end(4409, `Subscriber for ${m.id.slice(0, 60)} already exists`);
        else if (this.running.size >= GRAPH_SOCKET_LIMITS.operations)
          this.fail(m.id, [new GraphQLError(`At most ${GRAPH_SOCKET_LIMITS.operations} operations run at once.`)]);
        else void this.operate(m.id, m.payload);
        return;
      default:
        this.end(4400, 'There are connection_init, subscribe, complete, ping and pong');
    }
  }

  private async operate(id: string, payload: unknown): Promise<void> {
    this.running.set(id, undefined);
    let run: Run | undefined;
    try {
      const request = await this.requestOf(payload);
      const read = this.service.read(request);
      if ('errors' in read) {
        this.fail(id, read.errors);
        return;
      }
      run = this.runFor();
      if (read.kind !== 'subscription') {
        const result = await this.service.answer(run, read, request);
        if (this.running.has(id))
          this.raw(`{"id":${JSON.stringify(id)},"type":"next","payload":${resultText(result)}}`);
        this.done(id);
        return;
      }
      const subscription = await this.service.subscribe(run, read, request);
      if (this.ended || !this.running.has(id)) {
        subscription.listener.close();
        return;
      }
      this.running.set(id, subscription);
      await this.follow(id, subscription);
    } catch (error) {
      const words = error instanceof Refusal ? (error.options.detail ?? error.message) : 'The operation failed.';
      const extensions = error instanceof Refusal ? { code: error.code, status: error.status } : {};
      this.fail(id, [new GraphQLError(words, { extensions })]);
    } finally {
      for (const end of run?.endings ?? []) end();
    }
  }

  private async follow(id: string, { listener, result }: GraphSubscription): Promise<void> {
    for (;;) {
      const d = await listener.next(GRAPH_SOCKET_LIMITS.nextMs);
      if (!d) {
        if (!listener.ended) continue;
        if (listener.ended === 'behind')
          this.fail(id, [new GraphQLError('Too far behind: subscribe again, after the last event that you had.')]);
        else this.done(id);
        return;
      }
      const made = await result(d);
      if (made && this.running.has(id))
        this.raw(`{"id":${JSON.stringify(id)},"type":"next","payload":${resultText(made)}}`);
    }
  }

  private stop(id: string): void {
    const subscription = this.running.get(id);
    this.running.delete(id);
    subscription?.listener.close();
  }

  private done(id: string): void {
    if (this.running.delete(id)) this.send({ id, type: 'complete' });
  }

  private fail(id: string, errors: readonly GraphQLError[]): void {
    this.stop(id);
    this.send({ id, type: 'error', payload: errors.map((e) => e.toJSON()) });
  }

  private send(message: unknown): void {
    this.raw(writeJson(message));
  }

  private raw(text: string): void {
    if (this.ended) return;
    if (this.out.length >= GRAPH_SOCKET_LIMITS.waiting) {
      this.end(1013, 'too far behind');
      return;
    }
    this.out.push(text);
    this.wake?.();
  }

  private end(code: number, words: string): void {
    this.closing ??= { code, words };
    this.close();
  }

  close(): void {
    if (this.ended) return;
    this.ended = true;
    clearTimeout(this.late);
    for (const id of [...this.running.keys()]) this.stop(id);
    this.wake?.();
  }

  async *[Symbol.asyncIterator](): AsyncGenerator<string> {
    for (;;) {
      const text = this.out.shift();
      if (text !== undefined) yield text;
      else if (this.ended) return;
      else {
        await new Promise<void>((resolve) => (this.wake = resolve));
        this.wake = undefined;
      }
    }
  }
}
