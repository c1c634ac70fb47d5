import { createParser } from 'eventsource-parser';
import { STREAM } from '../events/stream';
import type { Delivery, Listener } from '../events/ports';
import { BackendFailure, type BackendStream } from '../flow/ports';
import type { Run } from '../flow/run';
import { LIMITS } from '../limits';
import { Body } from '../message/body';
import { essence, isJson, withFields } from '../message/headers';
import { Refusal } from '../problem';
import { addressOf, failed, unreadable } from '../steps/call/send';
import type { BackendContext } from '../steps/kind';
import type { GraphRequest, GraphResult } from './execute';
import type { GraphSubscription } from './service';

/** Results that wait for one subscriber; then the backend is made to wait. */
const WAITING = 100;
/** One result. */
const RESULT_CHARS = 4 * 1024 * 1024;

/**
 * Hands a checked subscription on to a GraphQL backend and follows its results (GraphQL over Server-Sent Events, one stream for one operation; its text is
 * public, from memory: events `next` with a result each, `complete` at the end). What breaks off in the middle is told as an error of the subscription. Throws Refusal.
 */
export function followAt(backend: BackendContext): (run: Run, request: GraphRequest) => Promise<GraphSubscription> {
  const timeoutMs = backend.document.timeoutMs ?? LIMITS.callMs;
  return async (run, { query, variables, operationName }) => {
    const { backends } = run.ports;
    if (!backends.open)
      throw new Refusal('HNG-510', {
        detail: `${backend.name} cannot be listened to now.`,
        inner: 'streams of backends cannot be opened here',
      });
    const value = { query, ...(variables && { variables }), ...(operationName !== undefined && { operationName }) };
    const plain = {
      url: addressOf(backend, run),
      headers: withFields({ 'content-type': 'application/json', accept: STREAM }, run.outbound),
      body: Body.ofValue(value, 'application/json'),
    };
    const open = async (): Promise<BackendStream> => {
      const shown = backend.credentials ? await backend.credentials.add(run, plain) : plain;
      const started = run.ports.clock.now();
      try {
        const stream = await backends.open!({ backend: backend.name, method: 'POST', timeoutMs, ...shown });
        if (stream.status !== 401 || !backend.credentials?.renew(run, shown)) return stream;
        stream.close();
        return await backends.open!({
          backend: backend.name,
          method: 'POST',
          timeoutMs,
          ...(await backend.credentials.add(run, plain)),
        });
      } catch (error) {
        throw failed(error, backend.name, plain.url, timeoutMs);
      } finally {
        run.backendMs += run.ports.clock.now() - started;
      }
    };
    const stream = await open();
    run.notes = { url: plain.url, method: 'POST', status: stream.status, as: 'subscription' };
    const mediaType = stream.headers['content-type'];
    if (stream.status < 300 && essence(mediaType) === STREAM)
      return { listener: new Followed(stream, backend.name), result: (d) => Promise.resolve(resultOf(d)) };
    const answer = await whole(stream, backend.name, plain.url, timeoutMs);
    const result = isJson(mediaType) ? readResult(answer) : undefined;
    if (!result?.errors)
      throw unreadable(
        backend,
        `status ${stream.status} with content type ${mediaType ?? '(none)'}; ${STREAM} was expected`,
      );
    // Refused with reasons of its own.
    return { listener: new Once(answer), result: (d) => Promise.resolve(resultOf(d)) };
  };
}

/** An answer that is no stream. */
async function whole(stream: BackendStream, name: string, url: string, timeoutMs: number): Promise<string> {
  let text = '';
  try {
    for await (const part of stream.texts) {
      text += part;
      if (text.length > LIMITS.shownBytes) throw new BackendFailure('unreadable', 'no stream, and too long');
    }
  } catch (error) {
    throw failed(error, name, url, timeoutMs);
  } finally {
    stream.close();
  }
  return text;
}

function readResult(text: string): GraphResult | undefined {
  let value: unknown;
  try {
    value = Body.ofText(text, 'application/json').value();
  } catch {
    return undefined;
  }
  const { data, errors } = (value ?? {}) as Record<string, unknown>;
  if (data === undefined && !Array.isArray(errors)) return undefined;
  return { ...(data !== undefined && { data }), ...(Array.isArray(errors) && { errors }) };
}

function resultOf(d: Delivery): GraphResult | undefined {
  if (!('event' in d)) return undefined;
  return readResult(d.event.data.text()) ?? { errors: [{ message: 'The backend sent a result that is none.' }] };
}

const event = (text: string, id = ''): Delivery => ({
  event: { id, source: '/', type: 'next', data: Body.ofText(text, 'application/json') },
});

/** Results of one stream, as they come. */
class Followed implements Listener {
  private readonly waiting: Delivery[] = [];
  private over = false;
  private wake: (() => void) | undefined;
  private room: (() => void) | undefined;

  constructor(
    private readonly stream: BackendStream,
    private readonly name: string,
  ) {
    void this.pump();
  }

  get ended(): 'closed' | undefined {
    return this.over && !this.waiting.length ? 'closed' : undefined;
  }

  private async pump(): Promise<void> {
    let complete = false;
    let fed = 0;
    const parser = createParser({
      onEvent: (e) => {
        fed = 0;
        if (e.event === 'complete') complete = true;
        else if (e.event === 'next' && !complete) this.put(event(e.data, e.id));
      },
      onComment: () => {
        fed = 0;
      },
    });
    let why = `${this.name} ended the stream without completing the subscription.`;
    try {
      for await (const text of this.stream.texts) {
        fed += text.length;
        parser.feed(text);
        if (complete || this.over) break;
        if (fed > RESULT_CHARS) {
          why = `${this.name} sent a result that is too long.`;
          break;
        }
        while (this.waiting.length >= WAITING && !this.over) await new Promise<void>((r) => (this.room = r));
      }
    } catch {
      why = `The stream of ${this.name} was cut off.`;
    }
    if (!complete && !this.over)
      this.put(event(JSON.stringify({ errors: [{ message: why, extensions: { code: 'HNG-504' } }] })));
    this.close();
  }

  private put(d: Delivery): void {
    this.waiting.push(d);
    this.wake?.();
  }

  async next(ms: number): Promise<Delivery | undefined> {
    if (!this.waiting.length && !this.over)
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, ms);
        this.wake = () => {
          clearTimeout(timer);
          resolve();
        };
      });
    const next = this.waiting.shift();
    this.room?.();
    return next;
  }

  close(): void {
    if (this.over) return;
    this.over = true;
    this.stream.close();
    this.wake?.();
    this.room?.();
  }
}

/** One result, and the end. */
class Once implements Listener {
  private left: string | undefined;

  constructor(text: string) {
    this.left = text;
  }

  get ended(): 'closed' | undefined {
    return this.left === undefined ? 'closed' : undefined;
  }

  next(): Promise<Delivery | undefined> {
    const text = this.left;
    this.left = undefined;
    return Promise.resolve(text === undefined ? undefined : event(text));
  }

  close(): void {
    this.left = undefined;
  }
}
