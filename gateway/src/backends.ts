import {
  announced,
  Body,
  BackendFailure,
  joinField,
  withFields,
  type BackendReply,
  type BackendRequest,
  type Backends,
  type BackendSocket,
  type BackendStream,
} from '@hinge/core';
import type { IncomingHttpHeaders } from 'node:http';
import type { Readable } from 'node:stream';
import { Agent, errors, request as streamOf, type Dispatcher } from 'undici';
import type { WebSocket } from 'ws';
import { openSocket } from './backend-socket';
import { Call, Connections } from './connections';
import { GATEWAY_LIMITS } from './limits';
import { ReplySource } from './reply-source';

/** Real backends over HTTP/1.1 with pooled connections. */
export class HttpBackends implements Backends {
  /** Answers that go on have connections of their own: they would take those of the others for good. */
  private readonly streams = new Agent({
    connections: GATEWAY_LIMITS.backendStreams,
    connect: { timeout: GATEWAY_LIMITS.connectMs },
    headersTimeout: 0,
    bodyTimeout: GATEWAY_LIMITS.backendStreamSilenceMs,
  });
  private readonly sockets = new Set<WebSocket>();
  private openStreams = 0;

  constructor(private readonly connections = new Connections()) {}

  send(request: BackendRequest): Promise<BackendReply> {
    return new Promise((resolve, reject) => {
      const { origin, path } = partsOf(request.url);
      const { announced: length } = request.body;
      // What goes on unread keeps its length: some backends take no other body (RFC 9112 §6.3: any length that is known is told).
      const headers =
        length === undefined || !request.body.pending
          ? request.headers
          : withFields(request.headers, { 'content-length': String(length) });
      const options = { path, method: request.method as 'GET', headers, body: bodyOf(request.body) };
      this.connections.take(origin, new Exchange(options, request.timeoutMs, resolve, reject));
    });
  }

  async open(request: BackendRequest): Promise<BackendStream> {
    if (this.openStreams >= GATEWAY_LIMITS.backendStreams)
      throw new BackendFailure('unreachable', 'too many streams of backends are open already');
    this.openStreams++;
    const abort = new AbortController();
    const { timeoutMs } = request;
    const late = setTimeout(
      () => abort.abort(new BackendFailure('timeout', `no answer within ${timeoutMs} ms`)),
      timeoutMs,
    );
    try {
      const { statusCode, headers, body } = await streamOf(request.url, {
        dispatcher: this.streams,
        method: request.method as 'POST',
        headers: request.headers,
        body: bodyOf(request.body),
        signal: abort.signal,
      });
      body.once('close', () => this.openStreams--);
      return { status: statusCode, headers: flatHeaders(headers), texts: textsOf(body), close: () => body.destroy() };
    } catch (error) {
      this.openStreams--;
      throw failureOf(abort.signal.aborted ? abort.signal.reason : error);
    } finally {
      clearTimeout(late);
    }
  }

  socket(request: BackendRequest, protocol: string): Promise<BackendSocket | { readonly status: number }> {
    if (this.openStreams >= GATEWAY_LIMITS.backendStreams)
      return Promise.reject(new BackendFailure('unreachable', 'too many streams of backends are open already'));
    this.openStreams++;
    return openSocket(request, protocol, this.sockets, () => this.openStreams--);
  }

  async close(): Promise<void> {
    for (const s of this.sockets) s.terminate();
    await Promise.all([this.connections.destroy(), this.streams.destroy()]);
  }
}

/** Texts of a stream; what breaks it off is a BackendFailure. */
async function* textsOf(body: Readable): AsyncGenerator<string> {
  const decoder = new TextDecoder();
  try {
    for await (const bytes of body) yield decoder.decode(bytes as Uint8Array, { stream: true });
  } catch (error) {
    throw new BackendFailure('unreadable', `the stream was cut off: ${(error as Error).message}`, { cause: error });
  }
}

/** One request and its answer, as undici tells of them. */
class Exchange extends Call implements Dispatcher.DispatchHandler {
  private controller: Dispatcher.DispatchController | undefined;
  private source: ReplySource | undefined;
  private readonly timer: NodeJS.Timeout;
  private late = false;

  constructor(
    options: Dispatcher.DispatchOptions,
    private readonly timeoutMs: number,
    private readonly resolve: (reply: BackendReply) => void,
    private readonly reject: (error: Error) => void,
  ) {
    super(options);
    this.timer = setTimeout(() => {
      this.late = true;
      const words = this.source ? 'the answer did not end in time' : `no answer within ${timeoutMs} ms`;
      const failure = new BackendFailure('timeout', words);
      if (this.controller) this.controller.abort(failure);
      else {
        this.leave();
        this.reject(failure);
      }
    }, timeoutMs);
  }

  onRequestStart(controller: Dispatcher.DispatchController): void {
    this.controller = controller;
    if (this.late) controller.abort(new BackendFailure('timeout', `no answer within ${this.timeoutMs} ms`));
  }

  onResponseStart(controller: Dispatcher.DispatchController, status: number, fields: IncomingHttpHeaders): void {
    if (status >= 100 && status < 200) return;
    const impossible = impossibleReply(status, fields);
    if (impossible) {
      controller.abort(impossible);
      return;
    }
    const source = new ReplySource(controller, this.options.method === 'HEAD' || status === 204 || status === 304);
    this.source = source;
    const headers = flatHeaders(fields);
    const load = () => source.load();
    this.resolve({
      status,
      headers,
      body: Body.ofSource(load, headers['content-type'], source, announced(headers)),
    });
  }

  onResponseData(_controller: Dispatcher.DispatchController, chunk: Buffer): void {
    this.source!.data(chunk);
  }

  onResponseEnd(): void {
    clearTimeout(this.timer);
    this.over(false);
    this.source?.end();
  }

  onResponseError(_controller: Dispatcher.DispatchController | undefined, error: Error): void {
    clearTimeout(this.timer);
    this.over(true);
    if (this.source) this.source.fail(error);
    else this.reject(failureOf(error));
  }
}

/** What no reply may be (RFC 9110 §15: a status of 100 to 599; RFC 9112 §6.3: a length or chunks, one of them, once). */
function impossibleReply(status: number, fields: IncomingHttpHeaders): BackendFailure | undefined {
  if (status < 100 || status > 599)
    return new BackendFailure('unreadable', `the answer has the status ${status}, which HTTP does not have`);
  const length: unknown = fields['content-length'];
  if (length === undefined) return undefined;
  if (Array.isArray(length) || fields['transfer-encoding'] !== undefined)
    return new BackendFailure('unreadable', 'the answer tells its length twice');
  return undefined;
}

const origins = new Map<string, string>();

/** Origin for undici, and path with query. Addresses come from documents, so there are few; the rest of a URL is the caller's. */
function partsOf(url: string): { origin: string; path: string } {
  const slash = url.indexOf('/', url.indexOf('://') + 3);
  const end = slash < 0 ? url.length : slash;
  const text = url.slice(0, end);
  const path = slash < 0 ? '/' : url.slice(slash);
  const known = origins.get(text);
  if (known !== undefined && isPlain(path)) return { origin: known, path };
  const parsed = new URL(url);
  if (origins.size > 1_000) origins.clear();
  if (!text.includes('?') && !text.includes('#')) origins.set(text, parsed.origin);
  return { origin: parsed.origin, path: parsed.pathname + parsed.search };
}

/** Nothing that URL parsing would change: characters as they may stand (RFC 3986 §3.3, §3.4), and no segment that begins with a dot. */
function isPlain(path: string): boolean {
  let before = 0;
  for (let i = 0; i < path.length; i++) {
    const c = path.charCodeAt(i);
    if (c > 127 || PLAIN[c] === 0 || (c === 46 && before === 47)) return false;
    before = c;
  }
  return true;
}

const PLAIN = Uint8Array.from({ length: 128 }, (_, c) =>
  /[A-Za-z0-9/?&=%._~!$'()*+,;:@-]/.test(String.fromCharCode(c)) ? 1 : 0,
);

function bodyOf(body: Body): Uint8Array | Readable | string | null {
  if (body.pending) return body.stream as Readable;
  if (body.isEmpty) return null;
  return body.hasText ? body.text() : body.bytes();
}

function flatHeaders(headers: Readonly<Record<string, string | string[] | undefined>>): Record<string, string> {
  let flat = true;
  for (const name in headers) if (typeof headers[name] !== 'string') flat = false;
  if (flat) return headers as Record<string, string>;
  const out: Record<string, string> = {};
  for (const name in headers) {
    const v = headers[name];
    if (v !== undefined) out[name] = typeof v === 'string' ? v : joinField(name, v);
  }
  return out;
}

/** A backend that answers, in a way that is no HTTP; undici has no class of its own for an upgrade that nobody asked for. */
const isUnreadable = (e: Error & { code?: string }): boolean =>
  e.name === 'HTTPParserError' ||
  e.code?.startsWith('HPE_') === true ||
  e instanceof errors.HeadersOverflowError ||
  e instanceof errors.ResponseContentLengthMismatchError ||
  (e instanceof errors.SocketError && (e.message === 'bad upgrade' || e.message === 'bad response'));

function failureOf(error: unknown): BackendFailure {
  if (error instanceof BackendFailure) return error;
  const e = error as Error & { code?: string };
  if (e instanceof errors.HeadersTimeoutError || e instanceof errors.BodyTimeoutError)
    return new BackendFailure('timeout', e.message, { cause: e });
  if (isUnreadable(e)) return new BackendFailure('unreadable', `the answer is not HTTP: ${e.message}`, { cause: e });
  return new BackendFailure('unreachable', e.code ? `${e.code}: ${e.message}` : e.message, { cause: e });
}
