import type { Body } from '../message/body';
import type { Headers } from '../message/headers';

/** What the core asks of the world. The gateway gives the real ones, tests give others. Times in milliseconds. */
export interface Backends {
  send(request: BackendRequest): Promise<BackendReply>;
}

export interface BackendRequest {
  readonly backend: string;
  /** Absolute URL. */
  readonly url: string;
  readonly method: string;
  readonly headers: Headers;
  readonly body: Body;
  readonly timeoutMs: number;
}

export interface BackendReply {
  readonly status: number;
  readonly headers: Headers;
  readonly body: Body;
}

/** Why a backend gave no reply. The engine turns it into 503, 504 or 502. */
export class BackendFailure extends Error {
  constructor(
    readonly kind: 'unreachable' | 'timeout' | 'unreadable',
    message: string,
    options?: { cause?: unknown },
  ) {
    super(message, options);
    this.name = 'BackendFailure';
  }
}

export interface Clock {
  /** Milliseconds with fractions, monotonic. */
  now(): number;
}

export interface Ports {
  readonly backends: Backends;
  readonly clock: Clock;
}

/** Told of every step when somebody looks; nothing is made for it when nobody does. */
export interface Observer {
  step(seen: StepSeen): void;
}

export interface StepSeen {
  readonly at: string;
  readonly kind: string;
  readonly name?: string;
  readonly startMs: number;
  readonly ms: number;
  readonly before: import('../message/message').Message;
  readonly after?: import('../message/message').Message;
  readonly error?: unknown;
  readonly notes?: Readonly<Record<string, unknown>>;
}
