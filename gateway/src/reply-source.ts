import { BackendFailure, LIMITS } from '@hinge/core';
import type { ServerResponse } from 'node:http';
import type { Dispatcher } from 'undici';
import { giveBack } from './give-back';

/** What may lie here before anybody says what to do with the answer; then the backend is made to wait. */
const EMPTY = new Uint8Array(0);
const WAITING_BYTES = 256 * 1024;

/**
 * The body of one backend's answer on its way in: gathered for whoever reads it, or handed to the caller as it comes. No stream object
 * stands between undici and the caller's socket.
 */
export class ReplySource {
  private chunks: Buffer[] = [];
  private size = 0;
  private ended = false;
  private failure: Error | undefined;
  private gathering: { resolve(bytes: Uint8Array): void; reject(error: Error): void } | undefined;
  private sink: ServerResponse | undefined;

  constructor(
    private readonly controller: Dispatcher.DispatchController,
    /** Its head tells of a body that does not come (RFC 9110 §9.3.2). */
    private readonly headOnly: boolean,
  ) {}

  data(chunk: Buffer): void {
    if (this.sink) {
      if (!this.on(this.sink, chunk)) this.controller.pause();
      return;
    }
    this.chunks.push(chunk);
    this.size += chunk.length;
    if (this.gathering) {
      if (this.size > LIMITS.replyBytes)
        this.controller.abort(new BackendFailure('unreadable', `the answer is larger than ${LIMITS.replyBytes} bytes`));
    } else if (this.size > WAITING_BYTES) this.controller.pause();
  }

  /** Nobody else reads the chunk. After a failure the system may still be writing it. */
  private on(sink: ServerResponse, chunk: Buffer): boolean {
    return sink.write(chunk, (error) => {
      if (!error) giveBack(chunk);
    });
  }

  end(): void {
    this.ended = true;
    if (this.sink) this.sink.end();
    else this.gathering?.resolve(this.bytes());
  }

  fail(error: Error): void {
    this.failure = error;
    // A backend that breaks off in the middle breaks the reply off too: the caller must not take it for whole.
    if (this.sink) this.sink.destroy();
    else this.gathering?.reject(this.failureWords());
  }

  private failureWords(): Error {
    const e = this.failure!;
    return e instanceof BackendFailure
      ? e
      : new BackendFailure('unreadable', `the answer was cut off: ${e.message}`, { cause: e });
  }

  private bytes(): Uint8Array {
    const { chunks } = this;
    this.chunks = [];
    if (chunks.length === 1) return chunks[0]!;
    const all = Buffer.concat(chunks, this.size);
    // Not under undici's parser, which may look at what comes behind its last chunk.
    process.nextTick(() => chunks.forEach(giveBack));
    return all;
  }

  /** All of it, when all has come and it is small; undefined otherwise. */
  whole(most: number): Uint8Array | undefined {
    if (this.headOnly) return EMPTY;
    return this.ended && !this.failure && this.size <= most ? this.bytes() : undefined;
  }

  /** All of it; rejects with BackendFailure. */
  load(): Promise<Uint8Array> {
    if (this.failure) return Promise.reject(this.failureWords());
    if (this.ended) return Promise.resolve(this.bytes());
    return new Promise((resolve, reject) => {
      this.gathering = { resolve, reject };
      if (this.controller.paused) this.controller.resume();
    });
  }

  /** On to the caller, as fast as it reads. The head must have been written. */
  pipe(res: ServerResponse): void {
    if (this.failure) {
      res.destroy();
      return;
    }
    if (this.ended) {
      res.end(this.bytes());
      return;
    }
    this.sink = res;
    res.on('drain', () => this.controller.resume());
    res.once('close', () => {
      if (!this.ended && !this.failure) this.controller.abort(new Error('the caller went away'));
    });
    let flows = true;
    for (const chunk of this.chunks) flows = this.on(res, chunk);
    this.chunks = [];
    if (!flows) this.controller.pause();
    else if (this.controller.paused) this.controller.resume();
  }

  /** Nobody wants it. */
  drop(): void {
    if (!this.ended && !this.failure) this.controller.abort(new Error('nobody reads the answer'));
  }
}
