import { Body, BackendFailure, LIMITS, type BackendReply, type BackendRequest, type Backends } from '@hinge/core';
import { EventEmitter } from 'node:events';
import type { Readable } from 'node:stream';
import { Agent, errors } from 'undici';
import { GATEWAY_LIMITS } from './limits';

/** Real backends over HTTP/1.1 with pooled connections. */
export class HttpBackends implements Backends {
  private readonly agent = new Agent({
    connections: GATEWAY_LIMITS.connectionsPerBackend,
    connect: { timeout: GATEWAY_LIMITS.connectMs },
    // Time limits are the call's own; undici's would only come in between.
    headersTimeout: 0,
    bodyTimeout: 0,
  });

  async send(request: BackendRequest): Promise<BackendReply> {
    const url = new URL(request.url);
    const limit = new TimeLimit();
    const timer = setTimeout(() => limit.pass(), request.timeoutMs);
    try {
      const reply = await this.agent.request({
        origin: url.origin,
        path: url.pathname + url.search,
        method: request.method as 'GET',
        headers: request.headers,
        body: bodyOf(request.body),
        signal: limit,
      });
      const headers = flatHeaders(reply.headers);
      const stream = reply.body;
      stream.once('close', () => clearTimeout(timer));
      const load = () => readAll(stream, LIMITS.replyBytes, limit);
      return { status: reply.statusCode, headers, body: Body.ofSource(load, headers['content-type'], stream) };
    } catch (error) {
      clearTimeout(timer);
      throw failureOf(error, limit, request.timeoutMs);
    }
  }

  async close(): Promise<void> {
    await this.agent.destroy();
  }
}

/** What undici takes as a signal; an AbortController a request would cost several times as much (measured by profile). */
class TimeLimit extends EventEmitter {
  aborted = false;

  pass(): void {
    this.aborted = true;
    this.emit('abort');
  }
}

function bodyOf(body: Body): Uint8Array | Readable | null {
  if (body.pending) return body.stream as Readable;
  return body.isEmpty ? null : body.bytes();
}

function flatHeaders(headers: Readonly<Record<string, string | string[] | undefined>>): Record<string, string> {
  const out: Record<string, string> = {};
  for (const name in headers) {
    const v = headers[name];
    if (v !== undefined) out[name] = typeof v === 'string' ? v : v.join(', ');
  }
  return out;
}

async function readAll(stream: Readable, limit: number, limitPassed: TimeLimit): Promise<Uint8Array> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  try {
    for await (const chunk of stream as AsyncIterable<Uint8Array>) {
      size += chunk.length;
      if (size > limit) {
        stream.destroy();
        throw new BackendFailure('unreadable', `the answer is larger than ${limit} bytes`);
      }
      chunks.push(chunk);
    }
  } catch (error) {
    if (error instanceof BackendFailure) throw error;
    if (limitPassed.aborted) throw new BackendFailure('timeout', 'the answer did not end in time', { cause: error });
    throw new BackendFailure('unreadable', `the answer was cut off: ${(error as Error).message}`, { cause: error });
  }
  return chunks.length === 1 ? chunks[0]! : Buffer.concat(chunks, size);
}

function failureOf(error: unknown, limit: TimeLimit, timeoutMs: number): BackendFailure {
  if (limit.aborted) return new BackendFailure('timeout', `no answer within ${timeoutMs} ms`, { cause: error });
  const e = error as Error & { code?: string };
  if (e instanceof errors.HeadersTimeoutError || e instanceof errors.BodyTimeoutError)
    return new BackendFailure('timeout', e.message, { cause: e });
  if (e.name === 'HTTPParserError' || e.code?.startsWith('HPE_') || e instanceof errors.HeadersOverflowError)
    return new BackendFailure('unreadable', `the answer is not HTTP: ${e.message}`, { cause: e });
  return new BackendFailure('unreachable', e.code ? `${e.code}: ${e.message}` : e.message, { cause: e });
}
