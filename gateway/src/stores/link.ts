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

/** One connection to a server of the Redis protocol. What it does not answer in time it is not waited for. */
export class StoreLink {
  readonly redis: Redis;
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
      commandTimeout: GATEWAY_LIMITS.storeMs,
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

  /** Waits for the first connection, not longer than a command may take. */
  async open(): Promise<void> {
    await Promise.race([
      this.redis.connect().catch(() => undefined),
      new Promise((resolve) => setTimeout(resolve, GATEWAY_LIMITS.storeMs).unref()),
    ]);
  }

  /** Throws StoreAway when there is no answer. */
  async ask<T>(command: (redis: Redis) => Promise<T>): Promise<T> {
    if (this.redis.status !== 'ready') throw new StoreAway('the shared store is away');
    try {
      return await command(this.redis);
    } catch (error) {
      throw new StoreAway((error as Error).message, { cause: error });
    }
  }

  close(): void {
    this.redis.removeAllListeners();
    this.redis.on('error', () => undefined);
    this.redis.disconnect();
  }

  private turn(away: boolean, why?: string): void {
    if (away === this.isAway) return;
    this.isAway = away;
    this.told(this.state, why);
  }
}
