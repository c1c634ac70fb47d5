import { OwnCounters, Refusal, type Counters, type Taken } from '@hinge/core';
import { randomUUID } from 'node:crypto';
import { GATEWAY_LIMITS } from '../limits';
import { StoreAway, type StoreLink, type WhenAway } from './link';

/**
 * Each script is one step for the server, and takes its clock: gateways whose clocks differ count the same.
 * KEYS[1] the counter, ARGV as named.
 */
const WINDOW = `
local t = redis.call('TIME')
local now = t[1] * 1000 + math.floor(t[2] / 1000)
local calls, length = tonumber(ARGV[1]), tonumber(ARGV[2])
redis.call('ZREMRANGEBYSCORE', KEYS[1], '-inf', now - length)
local n = redis.call('ZCARD', KEYS[1])
local ok = 0
if n < calls then
  ok = 1
  n = n + 1
  redis.call('ZADD', KEYS[1], now, ARGV[3])
  redis.call('PEXPIRE', KEYS[1], length)
end
local oldest = redis.call('ZRANGE', KEYS[1], 0, 0, 'WITHSCORES')
return { ok, calls - n, oldest[2] + length - now }`;
const PERIOD = `
local n = tonumber(redis.call('GET', KEYS[1]) or '0')
if n >= tonumber(ARGV[1]) then return 0 end
n = redis.call('INCR', KEYS[1])
redis.call('PEXPIREAT', KEYS[1], ARGV[2])
return n`;
const ENTER = `
local t = redis.call('TIME')
local now = t[1] * 1000 + math.floor(t[2] / 1000)
redis.call('ZREMRANGEBYSCORE', KEYS[1], '-inf', now)
if redis.call('ZCARD', KEYS[1]) >= tonumber(ARGV[1]) then return 0 end
redis.call('ZADD', KEYS[1], now + ARGV[2], ARGV[3])
redis.call('PEXPIRE', KEYS[1], ARGV[2])
return 1`;

/** Counts of all gateways together, exact to the call. */
export class SharedCounters implements Counters {
  private readonly own: OwnCounters;

  constructor(
    private readonly link: StoreLink,
    private readonly prefix: () => string,
    private readonly whenAway: WhenAway,
    now: () => number,
  ) {
    this.own = new OwnCounters(now);
  }

  window(name: string, calls: number, windowMs: number): Promise<Taken> {
    return this.either(
      async () => {
        const [ok, left, waitMs] = (await this.run(WINDOW, `w ${calls} ${windowMs} ${name}`, [
          calls,
          windowMs,
          randomUUID(),
        ])) as [number, number, number];
        return { ok: ok === 1, left, waitMs: Math.max(0, waitMs) };
      },
      () => this.own.window(name, calls, windowMs),
    );
  }

  period(name: string, calls: number, from: number, to: number): Promise<number | undefined> {
    return this.either(
      async () => {
        const n = (await this.run(PERIOD, `p ${from} ${name}`, [calls, to + 60_000])) as number;
        return n === 0 ? undefined : n;
      },
      () => this.own.period(name, calls, from),
    );
  }

  enter(name: string, calls: number): Promise<(() => void) | undefined> {
    return this.either(
      async () => {
        const id = randomUUID();
        const key = `c ${name}`;
        const ok = await this.run(ENTER, key, [calls, GATEWAY_LIMITS.leaseMs, id]);
        // A leaving that the store does not hear of ends with its lease.
        return ok === 1
          ? () => void this.link.ask((r) => r.zrem(this.prefix() + key, id)).catch(() => undefined)
          : undefined;
      },
      () => this.own.enter(name, calls),
    );
  }

  private async either<T>(shared: () => Promise<T>, own: () => T): Promise<T> {
    try {
      return await shared();
    } catch (error) {
      if (!(error instanceof StoreAway)) throw error;
      if (this.whenAway === 'own') return own();
      throw new Refusal('HNG-417', {
        detail: 'Calls cannot be counted now.',
        inner: `the shared store is away, and this gateway is told to refuse then: ${error.message}`,
        headers: { 'retry-after': '2' },
        cause: error,
      });
    }
  }

  private run(script: string, key: string, args: readonly (string | number)[]): Promise<unknown> {
    return this.link.ask((r) => r.eval(script, 1, this.prefix() + key, ...args));
  }
}
