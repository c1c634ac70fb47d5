import { Body, readJson, writeJson, type Message, type Remembered, type Store } from '@hinge/core';
import { GATEWAY_LIMITS } from '../limits';
import type { StoreLink } from './link';

interface Kept {
  readonly message: Pick<Message, 'status' | 'headers' | 'format' | 'soapHeader' | 'method' | 'path'>;
  readonly mediaType?: string;
  /** Base64. */
  readonly bytes: string;
  /** What the bytes say by their schema, where they are no JSON. */
  readonly value?: unknown;
  readonly ended: boolean;
  /** Milliseconds since 1970: gateways do not share a clock that only goes on. */
  readonly stored: number;
  readonly fresh: number;
  readonly expires: number;
  readonly tags?: readonly string[];
  readonly vary?: Readonly<Record<string, string>>;
  readonly validators?: Remembered['validators'];
}

/** What flows remember, for all gateways. A store that is away remembers nothing, and is not waited for. */
export class SharedStore implements Store {
  constructor(
    private readonly link: StoreLink,
    private readonly prefix: () => string,
    /** The clock of this process, as flows tell time. */
    private readonly now: () => number,
  ) {}

  async get(key: string): Promise<Remembered | undefined> {
    const text = await this.link.ask((r) => r.get(this.at(key))).catch(() => null);
    if (text === null) return undefined;
    let k: Kept;
    try {
      k = readJson(text) as unknown as Kept;
    } catch {
      // Not what a gateway wrote: as good as nothing.
      return undefined;
    }
    const offset = this.now() - Date.now();
    const { value } = k;
    return {
      message: {
        ...k.message,
        ...(k.message.status !== undefined && { status: Number(k.message.status) }),
        body: Body.ofBytesAndValue(Buffer.from(k.bytes, 'base64'), value, k.mediaType),
      },
      ended: k.ended,
      storedMs: Number(k.stored) + offset,
      freshMs: Number(k.fresh) + offset,
      expiresMs: Number(k.expires) + offset,
      ...(k.tags && { tags: k.tags }),
      ...(k.vary && { vary: k.vary }),
      ...(k.validators && { validators: k.validators }),
    };
  }

  async set(key: string, r: Remembered): Promise<void> {
    const { body, ...message } = r.message;
    const bytes = body.bytes();
    const lives = r.expiresMs - this.now();
    if (bytes.length > GATEWAY_LIMITS.storedBytes || lives <= 0) return;
    const offset = Date.now() - this.now();
    const kept: Kept = {
      message,
      mediaType: body.mediaType,
      bytes: Buffer.from(bytes).toString('base64'),
      ...valueOf(body),
      ended: r.ended,
      stored: r.storedMs + offset,
      fresh: r.freshMs + offset,
      expires: r.expiresMs + offset,
      tags: r.tags,
      vary: r.vary,
      validators: r.validators,
    };
    const at = this.at(key);
    await this.link
      .ask(async (redis) => {
        const all = redis.multi().set(at, writeJson(kept), 'PX', Math.ceil(lives));
        for (const tag of r.tags ?? []) {
          all.sadd(this.tag(tag), at);
          all.pexpire(this.tag(tag), Math.ceil(lives) + 60_000, 'GT');
          all.pexpire(this.tag(tag), Math.ceil(lives) + 60_000, 'NX');
        }
        await all.exec();
      })
      .catch(() => undefined);
  }

  async purge(tag?: string): Promise<number> {
    return this.link.ask(async (redis) => {
      if (tag !== undefined) {
        const keys = await redis.smembers(this.tag(tag));
        const gone = keys.length ? await redis.del(...keys) : 0;
        await redis.del(this.tag(tag));
        return gone;
      }
      let gone = 0;
      let cursor = '0';
      do {
        const [next, keys] = await redis.scan(cursor, 'MATCH', `${this.prefix()}r *`, 'COUNT', 500);
        cursor = next;
        if (keys.length) gone += await redis.del(...keys);
      } while (cursor !== '0');
      return gone;
    });
  }

  private at(key: string): string {
    return `${this.prefix()}r ${key}`;
  }

  private tag(tag: string): string {
    return `${this.prefix()}t ${tag}`;
  }
}

/** JSON says its value itself; what a schema made of XML, or of a form, goes along. */
function valueOf(body: Body): { value?: unknown } {
  if (body.isEmpty || /\bjson\b/i.test(body.mediaType ?? '')) return {};
  try {
    const value = body.value();
    return typeof value === 'object' && value !== null ? { value } : {};
  } catch {
    return {};
  }
}
