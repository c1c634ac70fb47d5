import { BackendFailure, type BackendRequest, type BackendSocket } from '@hinge/core';
import type { IncomingMessage } from 'node:http';
import { WebSocket } from 'ws';
import { GATEWAY_LIMITS } from './limits';

/** Messages that wait to be taken; then the other side is made to wait. */
const WAITING = 64;

/** A WebSocket at a backend through the standard client; `ended` is called once, when it is over or never began. */
export function openSocket(
  request: BackendRequest,
  protocol: string,
  /** All that are open. */
  open: Set<WebSocket>,
  ended: () => void,
): Promise<BackendSocket | { readonly status: number }> {
  return new Promise((resolve, reject) => {
    let socket: WebSocket;
    try {
      socket = new WebSocket(request.url.replace(/^http/, 'ws'), [protocol], {
        headers: request.headers,
        handshakeTimeout: request.timeoutMs,
        maxPayload: GATEWAY_LIMITS.backendMessageBytes,
        perMessageDeflate: false,
      });
    } catch (error) {
      ended();
      reject(new BackendFailure('unreachable', (error as Error).message, { cause: error }));
      return;
    }
    const talk = new Talk(socket);
    open.add(socket);
    socket.once('close', () => {
      open.delete(socket);
      ended();
    });
    socket.once('open', () => resolve(talk));
    socket.once('unexpected-response', (_request, answer: IncomingMessage) => {
      resolve({ status: answer.statusCode ?? 0 });
      answer.resume();
      socket.terminate();
    });
    socket.once('error', (error) => reject(failureOf(error, request.timeoutMs)));
  });
}

function failureOf(error: Error & { code?: string }, ms: number): BackendFailure {
  if (/handshake has timed out/.test(error.message))
    return new BackendFailure('timeout', `no answer within ${ms} ms`, { cause: error });
  // What the other side answered is no handshake, or not of this subprotocol.
  const kind = error.code ? 'unreachable' : 'unreadable';
  return new BackendFailure(kind, error.code ? `${error.code}: ${error.message}` : error.message, { cause: error });
}

class Talk implements BackendSocket {
  readonly status = 101;
  closing: { readonly code: number; readonly words: string } | undefined;
  readonly texts: AsyncIterable<string>;
  private readonly waiting: string[] = [];
  private chars = 0;
  private broken: BackendFailure | undefined;
  private wake: (() => void) | undefined;
  private silence: NodeJS.Timeout | undefined;

  constructor(private readonly socket: WebSocket) {
    this.texts = this.read();
    this.listen();
    socket.on('message', (data: Buffer, binary) => {
      this.listen();
      if (binary) {
        this.fail('it sent a message that is no text');
        return;
      }
      const text = data.toString();
      this.waiting.push(text);
      this.chars += text.length;
      if (this.waiting.length >= WAITING || this.chars > GATEWAY_LIMITS.backendMessageBytes) socket.pause();
      this.wake?.();
    });
    socket.on('ping', () => this.listen());
    socket.on('error', (error) => this.fail(error.message));
    socket.on('close', (code, words) => {
      clearTimeout(this.silence);
      this.closing = { code, words: words.toString() };
      // RFC 6455 §7.1.5: no close frame came.
      if (code === 1006) this.broken ??= new BackendFailure('unreadable', 'the connection broke');
      this.wake?.();
    });
  }

  send(text: string): void {
    if (this.socket.readyState === WebSocket.OPEN) this.socket.send(text);
  }

  close(): void {
    // It may be full, and would not hear the answer to the close.
    if (this.socket.isPaused) this.socket.resume();
    if (this.socket.readyState === WebSocket.OPEN) this.socket.close(1000);
    else if (this.socket.readyState === WebSocket.CONNECTING) this.socket.terminate();
  }

  /** Who says nothing for long is taken to be gone. */
  private listen(): void {
    clearTimeout(this.silence);
    this.silence = setTimeout(() => this.fail('nothing came for too long'), GATEWAY_LIMITS.backendStreamSilenceMs);
    this.silence.unref();
  }

  private fail(words: string): void {
    this.broken ??= new BackendFailure('unreadable', `the stream was cut off: ${words}`);
    this.socket.terminate();
    this.wake?.();
  }

  private async *read(): AsyncGenerator<string> {
    for (;;) {
      const text = this.waiting.shift();
      if (text !== undefined) {
        this.chars -= text.length;
        if (this.socket.isPaused && !this.waiting.length) this.socket.resume();
        yield text;
      } else if (this.broken) throw this.broken;
      else if (this.closing) return;
      else {
        await new Promise<void>((resolve) => (this.wake = resolve));
        this.wake = undefined;
      }
    }
  }
}
