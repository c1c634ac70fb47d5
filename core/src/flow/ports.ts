import type { Callers, Tokens } from '../callers/ports';
import type { Body } from '../message/body';
import type { Subscribers, Topics } from '../events/ports';
import type { Counters } from '../guards/counters';
import type { Headers } from '../message/headers';
import type { Validators } from './validators';

/** What the core asks of the world. The gateway gives the real ones, tests give others. Times in milliseconds. */
export interface Backends {
  send(request: BackendRequest): Promise<BackendReply>;
  /**
   * Opens an answer that goes on: `timeoutMs` is for its head alone. Absent where there are no streams; throws BackendFailure, as reading `texts` does.
   */
  open?(request: BackendRequest): Promise<BackendStream>;
  /**
   * Opens a WebSocket (RFC 6455) of this subprotocol at an http or https address; `timeoutMs` is for the handshake alone. An answer that is none comes back as its
   * status. Absent where there are no streams; throws BackendFailure.
   */
  socket?(request: BackendRequest, protocol: string): Promise<BackendSocket | { readonly status: number }>;
}

export interface BackendSocket {
  /** Of the handshake: 101. */
  readonly status: number;
  /** One text for each message, as it comes; read no faster than they are taken. Throws BackendFailure where the connection breaks. */
  readonly texts: AsyncIterable<string>;
  /** Set once the other side closed it: RFC 6455 §7.1.5 and §7.1.6. */
  readonly closing: { readonly code: number; readonly words: string } | undefined;
  send(text: string): void;
  close(): void;
}

export interface BackendStream {
  readonly status: number;
  readonly headers: Headers;
  /** UTF-8, as it comes. */
  readonly texts: AsyncIterable<string>;
  close(): void;
}

export interface BackendRequest {
  readonly backend: string;
  /** Operation of the backend's contract, where the call names one. */
  readonly operation?: string;
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
  /** Belongs to whoever asked alone: it is let go when it was read. */
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

/** A message that was kept. Times as Clock.now gives them. */
export interface Remembered {
  readonly message: import('../message/message').Message;
  /** The flow ended with it. */
  readonly ended: boolean;
  readonly storedMs: number;
  /** Until then it is as good as new. */
  readonly freshMs: number;
  /** Until then it may be given in need. */
  readonly expiresMs: number;
  readonly tags?: readonly string[];
  /** Header fields of the request that it answers (RFC 9111 §4.1), by name. */
  readonly vary?: Readonly<Record<string, string>>;
  readonly validators?: Validators;
}

/** Keeps what flows remember. Bounded by whoever gives it; may forget at any time. */
export interface Store {
  get(key: string): Promise<Remembered | undefined>;
  set(key: string, value: Remembered, seconds: number): void | Promise<void>;
  /** Forgets what stands under a tag, or all; says how much that was. */
  purge(tag?: string): Promise<number>;
}

/** Values that no document holds, by name. */
export interface Secrets {
  get(name: string): string | undefined;
}

export interface Ports {
  readonly backends: Backends;
  readonly clock: Clock;
  /** Without one nothing is remembered. */
  readonly store?: Store;
  /** Without it no event goes anywhere. */
  readonly topics?: Topics;
  /** Without it nobody is called back. */
  readonly subscribers?: Subscribers;
  /** Counts for guards; without it each of them counts for itself. */
  readonly counters?: Counters;
  /** Apps besides those of a document. */
  readonly callers?: Callers;
  /** Secrets of the environment; without it no backend that wants credentials can be called. */
  readonly secrets?: Secrets;
  /** Tokens of our own; without it none is taken. */
  readonly tokens?: Tokens;
}

/** Told of every step when somebody looks; nothing is made for it when nobody does. */
export interface Observer {
  step(seen: StepSeen): void;
}

export interface StepSeen {
  readonly at: string;
  /** Which items of the lists around it, outermost first. */
  readonly trail?: readonly number[];
  readonly kind: string;
  readonly name?: string;
  readonly startMs: number;
  readonly ms: number;
  readonly before: import('../message/message').Message;
  readonly after?: import('../message/message').Message;
  readonly error?: unknown;
  readonly notes?: Readonly<Record<string, unknown>>;
}
