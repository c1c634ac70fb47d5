import { Body } from '../message/body';
import { essence, isJson } from '../message/headers';
import type { Message } from '../message/message';
import { writeJson } from '../codec/json';

/** Something that happened, as a topic carries it: data, and the context attributes of CloudEvents 1.0 §3.1. */
export interface TopicEvent {
  /** Tells this event from every other one of its source. */
  readonly id: string;
  /** URI-reference of whoever says so. */
  readonly source: string;
  /** What kind of thing happened. */
  readonly type: string;
  readonly subject?: string;
  /** RFC 3339. */
  readonly time?: string;
  readonly dataschema?: string;
  /** Extension attributes. */
  readonly extensions?: Readonly<Record<string, string>>;
  /** Of the topic that it went through; told by the topic, and never sent with it. */
  readonly parameters?: Readonly<Record<string, string>>;
  readonly data: Body;
}

/** Attributes that have a member of their own above. */
const OWN = new Set(['specversion', 'id', 'source', 'type', 'subject', 'time', 'dataschema', 'datacontenttype']);
/** CloudEvents 1.0 §3: names of attributes. */
const NAME = /^[a-z0-9]{1,20}$/;

export const STRUCTURED = 'application/cloudevents+json';
export const BATCH = 'application/cloudevents-batch+json';

/** Why something is no event. */
export class EventError extends Error {
  constructor(
    message: string,
    /** RFC 6901, in what was read. */
    readonly pointer = '',
  ) {
    super(message);
    this.name = 'EventError';
  }
}

/** The JSON form (CloudEvents JSON format 1.0.2 §3): data as JSON where it is JSON, else as text. */
export function toStructured(e: TopicEvent): Record<string, unknown> {
  const mediaType = e.data.mediaType;
  return {
    specversion: '1.0',
    ...attributesOf(e),
    ...(mediaType !== undefined && { datacontenttype: mediaType }),
    ...(!e.data.isEmpty && { data: isJson(mediaType) ? e.data.value() : e.data.text() }),
  };
}

/** Attributes by their names, without specversion and datacontenttype. */
export function attributesOf(e: TopicEvent): Record<string, string> {
  return {
    id: e.id,
    source: e.source,
    type: e.type,
    ...(e.subject !== undefined && { subject: e.subject }),
    ...(e.time !== undefined && { time: e.time }),
    ...(e.dataschema !== undefined && { dataschema: e.dataschema }),
    ...e.extensions,
  };
}

/** Reads the JSON form. Throws EventError. */
export function fromStructured(value: unknown, at = ''): TopicEvent {
  if (value === null || typeof value !== 'object' || Array.isArray(value))
    throw new EventError('an event is an object', at);
  const v = value as Record<string, unknown>;
  const given = Object.fromEntries(
    Object.entries(v).flatMap(([name, x]) =>
      name === 'data' || name === 'data_base64' || x === null || x === undefined ? [] : [[name, text(x)]],
    ),
  );
  const mediaType = (v.datacontenttype as string | undefined) ?? 'application/json';
  let data: Body;
  if (typeof v.data_base64 === 'string')
    data = Body.ofBytes(
      Uint8Array.from(atob(v.data_base64), (c) => c.charCodeAt(0)),
      mediaType,
    );
  else if (v.data === undefined) data = Body.empty();
  else
    data =
      isJson(mediaType) || typeof v.data !== 'string'
        ? Body.ofText(writeJson(v.data), isJson(mediaType) ? mediaType : 'application/json')
        : Body.ofText(v.data, mediaType);
  return withAttributes(given, data, at);
}

/** Reads attributes that stand beside the data: HTTP fields without their prefix, user properties of MQTT 5. Throws EventError. */
export function withAttributes(given: Readonly<Record<string, string>>, data: Body, at = ''): TopicEvent {
  if (given.specversion !== '1.0')
    throw new EventError(
      given.specversion === undefined ? 'specversion is missing' : `specversion is ${given.specversion}, not 1.0`,
      `${at}/specversion`,
    );
  for (const name of ['id', 'source', 'type'] as const)
    if (!given[name]) throw new EventError(`${name} is missing`, `${at}/${name}`);
  for (const name of Object.keys(given))
    if (!NAME.test(name))
      throw new EventError(`${name} is no name of an attribute: small letters and digits, at most 20`, `${at}/${name}`);
  if (given.time !== undefined && !/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)$/i.test(given.time))
    throw new EventError('time is no moment of RFC 3339', `${at}/time`);
  const extensions = Object.fromEntries(Object.entries(given).filter(([name]) => !OWN.has(name)));
  return {
    id: given.id!,
    source: given.source!,
    type: given.type!,
    ...(given.subject !== undefined && { subject: given.subject }),
    ...(given.time !== undefined && { time: given.time }),
    ...(given.dataschema !== undefined && { dataschema: given.dataschema }),
    ...(Object.keys(extensions).length > 0 && { extensions }),
    data,
  };
}

/**
 * Events in an HTTP request (CloudEvents HTTP binding 1.0.2 §3): structured, batched or binary. Undefined where the request carries none: its body is data
 * then. The body must be loaded. Throws EventError, and what a body that is no JSON throws.
 */
export function eventsOf(message: Message): readonly TopicEvent[] | undefined {
  const kind = essence(message.headers['content-type'] ?? '');
  if (kind === STRUCTURED) return [fromStructured(asJson(message.body))];
  if (kind === BATCH) {
    const all = asJson(message.body);
    if (!Array.isArray(all)) throw new EventError('a batch is a list of events');
    return all.map((e, n) => fromStructured(e, `/${n}`));
  }
  if (message.headers['ce-specversion'] === undefined) return undefined;
  const given: Record<string, string> = {};
  for (const [name, value] of Object.entries(message.headers))
    if (name.startsWith('ce-')) given[name.slice(3)] = percent(value);
  return [withAttributes(given, message.body)];
}

const asJson = (body: Body): unknown => Body.ofText(body.text(), 'application/json').value();

/** Header values may be percent-encoded (§3.1.3.2). */
function percent(value: string): string {
  try {
    return decodeURIComponent(value);
  } catch {
    return value;
  }
}

const text = (v: unknown): string => (typeof v === 'string' ? v : writeJson(v));
