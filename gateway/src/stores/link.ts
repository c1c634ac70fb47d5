import { Redis } from 'ioredis';
import { GATEWAY_LIMITS } from '../limits';

export type StoreState = 'process' | 'connected' | 'away';
/** What guards that count do while the shared store is away: each gateway counts for itself, or calls are refused. */
export type WhenAway = 'own' | 'refuse';
export const WHEN_AWAY: readonly WhenAway[] = ['own', 'refuse'];

export interface StoreOptions {
  /** redis://HOST:PORT/DB, or rediss: with TLS. */
  readonly url: string;
  readonly whenAway: WhenAway;
}

export class StoreAway extends Error {
  override readonly name = 'StoreAway';
}

/** How often it is looked whether a command waits too long. */
const TURN_MS = 50;

/**
 * One connection to a server of the Redis protocol. What it does not answer in time it is not waited for.
 * The time is counted in turns of this process: while it is too busy to read, an answer may be there already, and a
 * server that answered must not be taken for one that is away (its count and ours would both let calls in).
 */
export class StoreLink {
  readonly redis: Redis;
  private readonly waiting = new Map<object, { turns: number; late: () => void }>();
  private turning: NodeJS.Timeout | undefined;
  /** Not known before the first answer, or the first that does not come. */
  private isAway: boolean | undefined;

  constructor(
    url: string,
    private readonly told: (state: StoreState, why?: string) => void,
  ) {
    this.redis = new Redis(url, {
      lazyConnect: true,
      enableOfflineQueue: false,
      maxRetriesPerRequest: 0,
      connectTimeout: GATEWAY_LIMITS.storeMs * 4,
      retryStrategy: (times: number) => Math.min(50 * 2 ** Math.min(times, 10), GATEWAY_LIMITS.storeRetryMs),
    });
    this.redis.on('ready', () => this.turn(false));
    this.redis.on('close', () => this.turn(true, 'the connection ended'));
    this.redis.on('error', (error: Error) => this.turn(true, error.message));
  }

  get state(): StoreState {
    return this.isAway === false ? 'connected' : 'away';
  }

  /** Waits for the first connection, not longer than connecting may take. */
  async open(): Promise<void> {
    await this.inTime(this.redis.connect(), GATEWAY_LIMITS.storeMs * 4).catch(() => undefined);
  }

  /** Throws StoreAway when there is no answer. */
  async ask<T>(command: (redis: Redis) => Promise<T>): Promise<T> {
    if (this.redis.status !== 'ready') throw new StoreAway('the shared store is away');
    try {
      return await this.inTime(command(this.redis), GATEWAY_LIMITS.storeMs);
    } catch (error) {
      throw new StoreAway((error as Error).message, { cause: error });
    }
  }

  close(): void {
    clearInterval(this.turning);
    this.redis.removeAllListeners();
    this.redis.on('error', () => undefined);
    this.redis.disconnect();
  }

  private inTime<T>(answer: Promise<T>, ms: number): Promise<T> {
    return new Promise<T>((resolve, reject) => {
      const id = {};
      const late = () => reject(new Error(`no answer in ${ms} ms`));
      this.waiting.set(id, { turns: Math.ceil(ms / TURN_MS), late });
      this.turning ??= setInterval(() => this.look(), TURN_MS).unref();
      void answer.then(resolve, reject).finally(() => this.waiting.delete(id));
    });
  }

  /** Turns that were missed are one turn; what came meanwhile is read before anything is late. */
  private look(): void {
    if (this.waiting.size === 0) {
      clearInterval(this.turning);
      this.turning = undefined;
    }
    for (const [id, one] of this.waiting) {
      if (--one.turns > 0) continue;
      setImmediate(() => {
        if (this.waiting.delete(id)) one.late();
      });
    }
  }

  private turn(away: boolean, why?: string): void {
    if (away === this.isAway) return;
    this.isAway = away;
    this.told(this.state, why);
  }
}
