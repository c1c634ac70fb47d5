import { Body } from '../message/body';
import type { Message } from '../message/message';
import type { Delivery, Listener } from './ports';

/** Streams of texts: Server-Sent Events, and what a WebSocket sends. */

export const STREAM = 'text/event-stream';

/** Milliseconds without an event after which a stream says that it is still there. */
const HEARTBEAT_MS = 15_000;
const RETRY_MS = 2000;

/** What stands before the events, between them when there is none for long, and behind them. */
export interface StreamTexts {
  readonly head?: string;
  readonly beat?: string;
  readonly tail?: string;
}

export const SSE: StreamTexts = { head: `retry: ${RETRY_MS}\n\n`, beat: ': still here\n\n' };

/** HTML Standard, Server-sent events §9.2.5: a field for each line of the data; an id holds no line end. */
export function sse(id: string | undefined, event: string | undefined, data: string): string {
  const lines = data.split(/\r\n|\r|\n/).map((l) => `data: ${l}\n`);
  return `${id === undefined ? '' : `id: ${id.replace(/[\r\n\0]/g, '')}\n`}${event === undefined ? '' : `event: ${event}\n`}${lines.join('')}\n`;
}

/** The reply that is a stream; `socket`: of a WebSocket. */
export function streamOf(stream: Stream, socket: boolean): Message {
  // Whoever wants the body itself and not the stream gets none, and listens no longer.
  const none = () => {
    stream.close();
    return Promise.resolve(new Uint8Array(0));
  };
  return socket
    ? { status: 101, headers: {}, body: Body.ofSource(none, 'application/json', stream), format: 'events' }
    : {
        status: 200,
        headers: { 'content-type': `${STREAM}; charset=utf-8`, 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
        body: Body.ofSource(none, STREAM, stream),
        format: 'events',
      };
}

/** Texts that go out as they come. */
export abstract class Stream implements AsyncIterable<string> {
  /** It fell too far behind: the reader may say so in its own way. */
  abstract get behind(): boolean;
  abstract close(): void;
  abstract [Symbol.asyncIterator](): AsyncIterator<string>;
}

/** A stream over a WebSocket whose other side speaks a protocol of its own. */
export abstract class SocketTalk extends Stream {
  /** The subprotocol (RFC 6455 §1.9). */
  abstract readonly protocol: string;
  /** Why it ended, where it was this side's doing. */
  abstract get closing(): { readonly code: number; readonly words: string } | undefined;
  /** What the other side sent. */
  abstract take(text: string): void;
}

/** Texts for one listener, as long as it is there. Whoever reads closes it when the connection goes. */
export class EventStream extends Stream {
  constructor(
    private readonly listener: Listener,
    /** What goes out for a delivery; undefined: nothing. */
    private readonly text: (d: Delivery) => Promise<string | undefined>,
    private readonly around: StreamTexts,
  ) {
    super();
  }

  close(): void {
    this.listener.close();
  }

  /** It fell too far behind: the reader may say so in its own way. */
  get behind(): boolean {
    return this.listener.ended === 'behind';
  }

  async *[Symbol.asyncIterator](): AsyncGenerator<string> {
    try {
      if (this.around.head !== undefined) yield this.around.head;
      for (;;) {
        const d = await this.listener.next(HEARTBEAT_MS);
        if (!d) {
          if (this.listener.ended) break;
          if (this.around.beat !== undefined) yield this.around.beat;
          continue;
        }
        const text = await this.text(d);
        if (text !== undefined) yield text;
      }
      if (this.around.tail !== undefined && !this.behind) yield this.around.tail;
    } finally {
      this.listener.close();
    }
  }
}
