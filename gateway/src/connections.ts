import { buildConnector, Client, type Dispatcher } from 'undici';
import { GATEWAY_LIMITS } from './limits';

/** One request to a backend; it takes a connection and gives it back when it is over. */
export abstract class Call {
  /** Where it waits or has a connection. */
  private origin: Origin | undefined;
  private client: Client | undefined;

  constructor(protected readonly options: Dispatcher.DispatchOptions) {}

  abstract onResponseError(controller: Dispatcher.DispatchController | undefined, error: Error): void;

  /** @internal */
  waitsAt(origin: Origin): void {
    this.origin = origin;
  }

  /** @internal */
  run(origin: Origin, client: Client): void {
    this.origin = origin;
    this.client = client;
    client.dispatch(this.options, this as Dispatcher.DispatchHandler);
  }

  /** Nobody waits for it any more. One that has a connection, though none is open yet, is over when that opens or fails. */
  protected leave(): void {
    if (!this.client) this.origin?.forget(this);
  }

  /** To be called when its last byte is here, or when it has failed. */
  protected over(failed: boolean): void {
    const { origin, client } = this;
    this.client = undefined;
    if (!origin || !client) return;
    // After undici is done with what failed.
    if (failed) setImmediate(() => origin.lost(client));
    else origin.back(client);
  }
}

const connect = buildConnector({ timeout: GATEWAY_LIMITS.connectMs });

/**
 * Connections to one origin, one call at a time on each; more wait in line. Those that are free lie on a stack: the one
 * used last is used next, and the others close when their time without use is up. (A pool that is not told when a call
 * ends looks through all of its connections for each.)
 */
class Origin {
  private readonly made = new Set<Client>();
  private readonly free: Client[] = [];
  private readonly waiting = new Set<Call>();

  constructor(private readonly url: string) {}

  get idle(): boolean {
    return this.free.length === this.made.size;
  }

  take(call: Call): void {
    const client = this.free.pop() ?? this.another();
    if (client) call.run(this, client);
    else {
      this.waiting.add(call);
      call.waitsAt(this);
    }
  }

  back(client: Client): void {
    this.free.push(client);
    this.next();
  }

  /** A client of undici whose request was broken off would connect once more for nobody. */
  lost(client: Client): void {
    this.made.delete(client);
    void client.destroy();
    this.next();
  }

  forget(call: Call): void {
    this.waiting.delete(call);
  }

  destroy(): Promise<unknown> {
    for (const call of this.waiting) stopping(call);
    this.waiting.clear();
    return Promise.all([...this.made].map((client) => client.destroy()));
  }

  /** The first in line takes what has just become free. */
  private next(): void {
    for (const call of this.waiting) {
      this.waiting.delete(call);
      this.take(call);
      return;
    }
  }

  private another(): Client | undefined {
    if (this.made.size >= GATEWAY_LIMITS.connectionsPerBackend) return undefined;
    // Time limits are the call's own; undici's would only come in between.
    const client = new Client(this.url, { connect, headersTimeout: 0, bodyTimeout: 0 });
    this.made.add(client);
    return client;
  }
}

const stopping = (call: Call): void => call.onResponseError(undefined, new Error('the gateway is stopping'));

/** Connections to all backends, by their origins. */
export class Connections {
  private readonly origins = new Map<string, Origin>();
  private closed = false;

  /** How many origins are known. */
  get size(): number {
    return this.origins.size;
  }

  take(origin: string, call: Call): void {
    if (this.closed) {
      stopping(call);
      return;
    }
    let found = this.origins.get(origin);
    if (!found) {
      if (this.origins.size >= GATEWAY_LIMITS.backendOrigins) this.tidy();
      this.origins.set(origin, (found = new Origin(origin)));
    }
    found.take(call);
  }

  async destroy(): Promise<void> {
    this.closed = true;
    await Promise.all([...this.origins.values()].map((o) => o.destroy()));
  }

  /** Origins that nobody calls at the moment are forgotten: an expression may make any number of them. */
  private tidy(): void {
    for (const [url, origin] of this.origins)
      if (origin.idle) {
        this.origins.delete(url);
        void origin.destroy();
      }
  }
}
