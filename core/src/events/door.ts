import { JsonError, writeJson } from '../codec/json';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { CompiledStep, Run } from '../flow/run';
import { Body } from '../message/body';
import { isJson } from '../message/headers';
import type { Message } from '../message/message';
import { Refusal, type InputFault } from '../problem';
import { accepted } from '../steps/publish/publish';
import { callbackEntries } from './callback';
import { shapeContext, shaperOf, type Shape } from './shape';
import { BATCH, EventError, eventsOf, STRUCTURED, toStructured, type TopicEvent } from './event';
import { newEvent } from './wire';
import { hubEntry, hubLinks } from './hub-door';
import { BrokerFailure, type Delivery, type Listener, type TopicRef } from './ports';
import { EventStream, SSE, sse, STREAM, streamOf } from './stream';
import { dataChecker, publishTo, refBy } from './publishing';
import { channelPath, type TopicDocument } from './topic';

/** The way to topics by HTTP: POST publishes, GET streams (Server-Sent Events), waits (long poll), or becomes a WebSocket. */

export interface EventEntry {
  readonly id: string;
  readonly operation: OperationDocument;
  readonly flow: readonly CompiledStep[];
  /** Set where the reply may be a stream. */
  readonly streams?: true;
}

/** Seconds that a long poll may wait, events that one reply may hold, events that one batch may hold. */
const LONGEST_WAIT_S = 60;
const MOST_POLLED = 500;
const MOST_IN_BATCH = 1000;

/** What callers see of the topics of a document: two operations for each. */
export function eventEntries(document: FlowDocument, door: FlowDocument['doors'][number]): EventEntry[] {
  const hub = hubEntry(document, door);
  const topics = Object.entries(document.topics ?? {}).flatMap(([name, topic]) => {
    const path = channelPath(name, topic);
    const operation = (method: 'GET' | 'POST', summary: string): OperationDocument => ({
      method,
      path,
      summary,
      guards: topic.door?.guards,
      flow: [],
    });
    const title = topic.title ?? name;
    return [
      ...(topic.door?.publish === false
        ? []
        : [
            {
              id: `publish ${name}`,
              operation: operation('POST', `Publish to ${title}`),
              flow: [publishing(document, name)],
            },
          ]),
      ...(topic.door?.listen === false
        ? []
        : [
            {
              id: `listen ${name}`,
              operation: operation('GET', `Listen to ${title}`),
              flow: [listening(document, name, topic, hubLinks(door, name, topic))],
              streams: true as const,
            },
          ]),
      ...callbackEntries(document, name, topic),
    ];
  });
  return hub ? [...topics, hub] : topics;
}

/** The way in to a topic as an operation with a flow, for whoever shows what was sent there. */
export function eventOperation(document: FlowDocument, id: string): OperationDocument | undefined {
  const topic = id.startsWith('publish ') ? id.slice('publish '.length) : undefined;
  const t = topic === undefined ? undefined : document.topics?.[topic];
  return t && { method: 'POST', path: channelPath(topic!, t), flow: [{ kind: 'publish', topic: topic! }] };
}

function publishing(document: FlowDocument, name: string): CompiledStep {
  const faultsOf = dataChecker(document, name);
  return {
    kind: 'publish',
    at: '/0',
    async run(run) {
      const ref = refBy(document, name, run, run.request.path);
      await run.message.body.load();
      const { events, alone } = readEvents(run.message, ref);
      if (alone && document.topics?.[name]?.schema && !isJson(run.message.body.mediaType))
        throw new Refusal('HNG-406', {
          detail: `The data of ${name} is sent as application/json, or an event as ${STRUCTURED}.`,
          headers: { accept: `application/json, ${STRUCTURED}, ${BATCH}` },
        });
      const faults = alone
        ? faultsOf(events[0]!.data)
        : events.flatMap((e, n) =>
            faultsOf(e.data).map((f) => ({ ...f, pointer: `${events.length > 1 ? `/${n}` : ''}/data${f.pointer}` })),
          );
      if (faults.length) throw new Refusal('HNG-404', { errors: faults });
      const key = run.request.message.headers['idempotency-key'];
      const owner = run.identity?.app?.id ?? '';
      const send = (e: TopicEvent, n: number) =>
        publishTo(run, ref, e, key === undefined ? undefined : { once: `${owner} ${key} ${n}` });
      const done = events.length === 1 ? [await send(events[0]!, 0)] : await Promise.all(events.map(send));
      if (run.observer)
        run.notes = {
          topic: name,
          address: ref.address,
          ids: done.map((d) => d.id),
          ...(done[0]?.held && { held: true }),
        };
      run.message =
        done.length === 1
          ? accepted({ id: done[0]!.id, topic: name })
          : accepted({ ids: done.map((d) => d.id), topic: name });
    },
  };
}

/** `alone`: the body was the data, without an envelope. */
function readEvents(message: Message, ref: TopicRef): { events: readonly TopicEvent[]; alone: boolean } {
  const wrong = (code: 'HNG-403' | 'HNG-404', fault: InputFault) =>
    new Refusal(code, { detail: `${fault.pointer ? `${fault.pointer}: ` : ''}${fault.detail}.`, errors: [fault] });
  try {
    const events = eventsOf(message);
    if (events && events.length > MOST_IN_BATCH)
      throw wrong('HNG-404', {
        pointer: '',
        code: 'maxItems',
        detail: `a batch may hold at most ${MOST_IN_BATCH} events`,
      });
    if (events) return { events, alone: false };
    if (message.body.isEmpty)
      throw wrong('HNG-404', { pointer: '', code: 'required', detail: 'a body is needed: the data of the event' });
    // What says that it is JSON is read once, so that nobody gets what nobody can read.
    if (isJson(message.body.mediaType)) message.body.value();
    return { events: [newEvent(ref, message.body)], alone: true };
  } catch (error) {
    if (error instanceof EventError)
      throw wrong('HNG-404', { pointer: error.pointer, code: 'cloudevents', detail: error.message });
    if (error instanceof JsonError)
      throw wrong('HNG-403', {
        pointer: '',
        code: 'json',
        detail: `${error.message} at character ${error.position + 1}`,
      });
    throw error;
  }
}

function listening(
  document: FlowDocument,
  name: string,
  topic: TopicDocument,
  links: ((run: Run) => string) | undefined,
): CompiledStep {
  const shapeFor = shaperOf(topic);
  return {
    kind: 'listen',
    at: '/0',
    async run(run) {
      const ref = refBy(document, name, run, run.request.path, true);
      const { headers } = run.message;
      const search = new URLSearchParams(run.request.search);
      const after = headers['last-event-id'] ?? search.get('after') ?? undefined;
      const socket = headers.upgrade?.toLowerCase() === 'websocket';
      const stream = socket || (headers.accept?.includes(STREAM) ?? false);
      const wait = waitOf(search.get('wait'), headers.prefer);
      const { topics } = run.ports;
      if (!topics)
        throw new Refusal('HNG-510', {
          detail: `${name} cannot be listened to now.`,
          inner: 'this engine has no topics',
        });
      let listener: Listener;
      try {
        listener = await topics.listen(ref, { after, kept: !stream });
      } catch (error) {
        if (!(error instanceof BrokerFailure)) throw error;
        throw new Refusal('HNG-510', {
          detail: `${name} cannot be listened to now.`,
          inner: `${ref.broker?.address ?? 'inside'} ${ref.address}: ${error.message}`,
          headers: { 'retry-after': '2' },
          cause: error,
        });
      }
      const shape = shapeFor(shapeContext(run));
      run.notes = {
        topic: name,
        address: ref.address,
        ...(after !== undefined && { after }),
        as: socket ? 'socket' : stream ? 'stream' : 'poll',
      };
      if (stream) {
        const text = socket ? socketText : ref.form === 'plain' ? plainText : structuredText;
        const texts = async (d: Delivery) => {
          const shaped = await shape(d);
          return shaped && text(shaped);
        };
        const events = new EventStream(listener, texts, socket ? {} : SSE);
        run.message = withLinks(streamOf(events, socket), links?.(run));
        return;
      }
      run.message = withLinks(await poll(run, listener, shape, wait, after), links?.(run));
    },
  };
}

/** WebSub §4: where whoever listens may subscribe. */
function withLinks(message: Message, links: string | undefined): Message {
  if (links === undefined) return message;
  const { link } = message.headers;
  return { ...message, headers: { ...message.headers, link: link === undefined ? links : `${link}, ${links}` } };
}

/** Seconds from `wait`, or the preference of RFC 7240 §4.3. */
function waitOf(given: string | null, prefer: string | undefined): number {
  const text = given ?? /(?:^|[,;\s])wait=(\d+)/.exec(prefer ?? '')?.[1] ?? '0';
  if (!/^\d{1,4}$/.test(text))
    throw new Refusal('HNG-404', {
      errors: [{ pointer: '', parameter: 'wait', code: 'type', detail: 'must be whole seconds, at most 60' }],
    });
  return Math.min(Number(text), LONGEST_WAIT_S);
}

async function poll(
  run: Run,
  listener: Listener,
  shape: Shape,
  seconds: number,
  after: string | undefined,
): Promise<Message> {
  const until = run.ports.clock.now() + seconds * 1000;
  const events: TopicEvent[] = [];
  let last = after;
  let gap = false;
  try {
    while (events.length < MOST_POLLED) {
      const left = events.length ? 0 : until - run.ports.clock.now();
      const d = await listener.next(Math.max(0, left));
      if (!d) break;
      if ('gap' in d) {
        gap = true;
        continue;
      }
      last = d.event.id;
      const shaped = await shape(d);
      if (shaped && 'event' in shaped) events.push(shaped.event);
    }
  } finally {
    listener.close();
  }
  const next = new URLSearchParams({ wait: String(seconds || 30), ...(last !== undefined && { after: last }) });
  const headers: Record<string, string> = {
    link: `<?${next.toString()}>; rel="next"`,
    'cache-control': 'no-store',
    ...(gap && { 'event-gap': '1' }),
  };
  if (!events.length) return { status: 204, headers, body: Body.empty() };
  return {
    status: 200,
    headers: { ...headers, 'content-type': BATCH },
    body: Body.ofText(writeJson(events.map(toStructured)), BATCH),
    format: 'JSON',
  };
}

const plainText = (d: Delivery): string =>
  'gap' in d ? sse(undefined, 'gap', d.gap) : sse(d.event.id, undefined, d.event.data.text());
const structuredText = (d: Delivery): string =>
  'gap' in d ? sse(undefined, 'gap', d.gap) : sse(d.event.id, undefined, writeJson(toStructured(d.event)));
/** CloudEvents WebSockets binding 1.0.2 §3: one event in JSON for each message. */
const socketText = (d: Delivery): string => writeJson('gap' in d ? { gap: d.gap } : toStructured(d.event));
