import Negotiator from 'negotiator';
import { isTable } from '../codec/csv';
import { MediaError, mediaCodec, type MediaCodec } from '../codec/media';
import { problemXml } from '../codec/problem-xml';
import { Body } from '../message/body';
import {
  charsetOf,
  essence,
  isCsv,
  isForm,
  isJson,
  isMultipart,
  isXml,
  MULTIPART,
  withFields,
} from '../message/headers';
import type { Message } from '../message/message';
import { bodyValue, unreadableBody } from './body-value';
import { Refusal, type InputFault } from '../problem';
import { replySide, replyTypes, requestSide, requestTypes, type JsonSchema, type TypeTable } from '../schema';
import type { BodyDocument, FlowDocument, OperationDocument } from './document';
import { bodiesOfRequest, bodyFor } from './request-schema';

/**
 * How a door shapes messages: a request in another form than the operation's own is read by the operation's schema; a reply goes out in the
 * form that the caller asked for (RFC 9110 §12.5.1), or in the one that the door always answers.
 */
export interface DoorShape {
  /** The request as the flow knows it; undefined where it already is. */
  inward(message: Message): Promise<Message> | undefined;
  outward(reply: Message, accept: string | undefined): Message;
  /** The door answers in another form than this reply has, whoever made it. */
  demands(reply: Message): boolean;
}

const CSV = 'text/csv';
type Form = 'application/json' | 'application/xml' | typeof CSV;

export function compileShape(
  door: FlowDocument['doors'][number],
  operation: OperationDocument,
  all: TypeTable,
): DoorShape {
  const root = rootName(operation);
  const bodies = bodiesOfRequest(operation.request ?? {}).map((b) => ({
    mediaType: b.mediaType,
    inward: compileInward(b, root, door.answers, all),
  }));
  const replies = replyTypes(all);
  const codecs = new Map<string, MediaCodec | undefined>();
  const codec = (mediaType: string, schema: JsonSchema | undefined, key: string): MediaCodec | undefined => {
    const k = `${key} ${essence(mediaType)}`;
    if (!codecs.has(k)) codecs.set(k, mediaCodec(mediaType, { schema, types: replies, root }));
    return codecs.get(k);
  };

  const fixed = door.answers === 'json' || door.answers === 'xml' ? door.answers : undefined;
  const demands = (reply: Message): boolean => {
    const has = reply.headers['content-type'];
    if (fixed === undefined || has === undefined || !(isJson(has) || isXml(has))) return false;
    // Parts of a representation, and coded ones, are none that could be read here (RFC 9110 §8.4, §14.4).
    if (reply.status === 206 || reply.headers['content-encoding'] !== undefined) return false;
    return fixed === 'json' ? !isJson(has) : !isXml(has);
  };

  return {
    demands,
    inward: (message) => bodyFor(bodies, message.headers['content-type']).inward(message),
    outward(reply, accept) {
      const has = reply.headers['content-type'];
      if (has === undefined || !(isJson(has) || isXml(has) || isCsv(has))) return reply;
      if (fixed !== undefined && !isCsv(has) && !demands(reply)) return reply;
      // Most callers take anything, or JSON: nothing to weigh.
      if (!fixed && (accept === undefined || accept === '*/*' || (isJson(has) && !/xml|csv/.test(accept))))
        return isCsv(has) ? reply : byAccept(reply);
      const described = replySide(replySchema(operation, reply.status), all);
      const table = isTable(described, replies) && !isProblem(has);
      if (isCsv(has) && !table) return reply;
      const want = wanted(fixed, accept, has, table);
      if (want === undefined || want === formOf(has)) return fixed ? reply : byAccept(reply);
      const key = `reply ${reply.status}`;
      if (isXml(has) && typeof bodyValue(reply) === 'string') return fromXml(reply, want, described, codec, key);
      if (!isCsv(has)) return convert(reply, want, codec(want, described, key));
      const value = tableOf(reply, codec(CSV, described, key)!);
      return value === undefined
        ? reply
        : convert({ ...reply, body: Body.ofValue(value, has) }, want, codec(want, described, key));
    },
  };
}

/** Reads a request that comes in another form than this body's own, or in one that stands for a structure. */
function compileInward(
  body: BodyDocument,
  root: string,
  answers: FlowDocument['doors'][number]['answers'],
  all: TypeTable,
): DoorShape['inward'] {
  const types = requestTypes(all);
  const own = body.mediaType ?? 'application/json';
  const schema = requestSide(body.schema, all);
  if (schema === undefined)
    return answers === 'json' || answers === 'xml' ? generally(answers, body.mediaType, root) : () => undefined;
  const { encoding, styles } = body;
  const codecs = new Map<string, MediaCodec | undefined>();
  const codec = (mediaType: string): MediaCodec | undefined => {
    const k = essence(mediaType);
    if (!codecs.has(k))
      codecs.set(k, mediaCodec(mediaType, { schema, types, root, lenient: 'keeping', encoding, styles }));
    return codecs.get(k);
  };
  const rows = isTable(schema, types);
  const convertible = (m: string) => isJson(m) || isXml(m) || isMultipart(m) || isForm(m) || (isCsv(m) && rows);
  const structured = isXml(own) || isForm(own) || (isCsv(own) && rows);

  return (message) => {
    const given = message.headers['content-type'];
    const other = given !== undefined && essence(given) !== essence(own) && !(isJson(given) && isJson(own));
    if (answers === 'json' && given !== undefined && isXml(given) && isJson(own)) return undefined;
    // Its parts are read when somebody asks for them, and only then.
    if (given !== undefined && isMultipart(given) && isMultipart(own)) {
      const parts = codec(own)!;
      const text = { read: (t: string) => parts.read(t, given).value, write: (v: unknown) => parts.write(v).text };
      message.body.readBy(text);
      return undefined;
    }
    if (!(other && convertible(given) && convertible(own)) && !structured) return undefined;
    const reader = codec(given ?? own);
    return reader && read(message, reader, own, codec(own));
  };
}

/**
 * Without a schema the form that the door speaks is read by the general form: into the form that the operation names, or into JSON where the door
 * speaks XML and nothing is said.
 */
function generally(
  answers: 'json' | 'xml',
  own: string = answers === 'xml' ? 'application/json' : 'application/octet-stream',
  root: string,
): DoorShape['inward'] {
  const speaks = answers === 'xml' ? isXml : isJson;
  if (speaks(own) || !(isJson(own) || isXml(own))) return () => undefined;
  const reader = mediaCodec(answers === 'xml' ? 'application/xml' : 'application/json', { root })!;
  return (message) => {
    const given = message.headers['content-type'];
    return given !== undefined && speaks(given) && message.headers['content-encoding'] === undefined
      ? read(message, reader, own, mediaCodec(own, { root }))
      : undefined;
  };
}

async function read(
  message: Message,
  reader: MediaCodec,
  own: string,
  writer: MediaCodec | undefined,
): Promise<Message> {
  await message.body.load();
  if (message.body.isEmpty) return message;
  let value: unknown;
  try {
    const found = reader.read(message.body.text(), message.headers['content-type']);
    if (found.faults.length) {
      const errors: InputFault[] = found.faults.map((f) => ({ pointer: f.pointer, detail: f.words, code: f.kind }));
      throw new Refusal('HNG-404', { errors });
    }
    value = found.value;
  } catch (error) {
    if (error instanceof Refusal) throw error;
    const words = error instanceof MediaError || error instanceof Error ? error.message : String(error);
    throw new Refusal('HNG-403', {
      detail: `The body cannot be read as ${essence(message.headers['content-type'])}: ${words}.`,
      errors: [{ pointer: '', code: 'syntax', detail: words }],
    });
  }
  if (isMultipart(own) && writer) {
    const { text, mediaType = own, faults } = writer.write(value);
    if (faults.length)
      throw new Refusal('HNG-404', {
        errors: faults.map((f) => ({ pointer: f.pointer, detail: f.words, code: f.kind })),
      });
    const headers = withFields(message.headers, { 'content-type': mediaType });
    return { ...message, headers, body: Body.ofWritten(text, value, mediaType), format: MULTIPART };
  }
  // In the operation's own form already: what came stays as it is. XML may be in another encoding than what we send.
  const same = !isXml(own) && essence(message.headers['content-type'] ?? own) === essence(own);
  if (same) {
    const told = charsetOf(message.headers['content-type']) !== undefined;
    const headers = told ? withFields(message.headers, { 'content-type': own }) : message.headers;
    return { ...message, headers, body: Body.ofParsed(message.body.text(), value, own) };
  }
  const text = { read: (t: string) => reader.read(t).value, write: (v: unknown) => writer?.write(v).text ?? '' };
  return {
    ...message,
    headers: withFields(message.headers, { 'content-type': own }),
    body: Body.ofValue(value, own, isJson(own) ? undefined : text),
    format: isJson(own) ? 'JSON' : 'XML',
  };
}

const isProblem = (mediaType: string): boolean => essence(mediaType).includes('problem+');
const formOf = (has: string): Form => (isJson(has) ? 'application/json' : isXml(has) ? 'application/xml' : CSV);

/** What the caller is to get; undefined: as it is. Only a list, of those that ask for it, is CSV. */
function wanted(
  answers: 'json' | 'xml' | undefined,
  accept: string | undefined,
  has: string,
  table: boolean,
): Form | undefined {
  if (answers) return answers === 'xml' ? 'application/xml' : 'application/json';
  if (accept === undefined) return undefined;
  const normal = accept.replaceAll('text/xml', 'application/xml').replaceAll('problem+xml', 'xml');
  const own = formOf(has);
  const order: Form[] = [own];
  for (const f of ['application/json', 'application/xml', CSV] as const)
    if (f !== own && (f !== CSV || (table && accept.includes(CSV)))) order.push(f);
  return new Negotiator({ headers: { accept: normal } }).mediaType(order) as Form | undefined;
}

/** Rows of a reply that is CSV; undefined where it is none. */
function tableOf(reply: Message, reader: MediaCodec): unknown {
  try {
    return reader.read(reply.body.text()).value;
  } catch (error) {
    if (error instanceof MediaError) return undefined;
    throw error;
  }
}

function convert(reply: Message, want: Form, writer: MediaCodec | undefined): Message {
  const problem = isProblem(reply.headers['content-type'] ?? '');
  const value = bodyValue(reply);
  if (value === undefined) return inForm(reply, want, NOTHING());
  const mediaType = problem ? want.replace('/', '/problem+') : want;
  let text: string | undefined;
  if (problem && want === 'application/xml') text = problemXml(value);
  else {
    const written = writer?.write(value);
    // What the schema does not describe goes out in the general form rather than not at all.
    text =
      written && written.faults.length === 0 ? written.text : mediaCodec(want, { root: 'reply' })!.write(value).text;
  }
  return inForm(reply, mediaType, Body.ofText(text, mediaType));
}

/** What a backend said of the bytes that it sent is not true of others (RFC 9110 §8.6, §8.8.3, §14.3; RFC 9530). */
const OF_THE_BYTES: readonly string[] = [
  'content-length',
  'etag',
  'accept-ranges',
  'content-md5',
  'content-digest',
  'repr-digest',
  'digest',
];

const NOTHING = (): Body => Body.ofText('', undefined);

function inForm(reply: Message, mediaType: string, body: Body): Message {
  const headers = withFields(reply.headers, { 'content-type': mediaType, vary: addVary(reply.headers.vary) });
  for (const name of OF_THE_BYTES) delete headers[name];
  const format = essence(mediaType) === CSV ? CSV : isXml(mediaType) ? 'XML' : 'JSON';
  return { ...reply, headers, body, format };
}

/** XML that no step has read: by the schema of the reply, where it fits, else by the general form. */
function fromXml(
  reply: Message,
  want: Form,
  described: JsonSchema | undefined,
  codec: (mediaType: string, schema: JsonSchema | undefined, key: string) => MediaCodec | undefined,
  key: string,
): Message {
  if (reply.body.isEmpty) return inForm(reply, want, NOTHING());
  const read = (reader: MediaCodec | undefined) => reader?.read(reply.body.text(), reply.headers['content-type']);
  try {
    const bySchema = described && read(codec('application/xml', described, key));
    const found = bySchema?.faults.length === 0 ? bySchema : read(mediaCodec('application/xml'));
    return convert({ ...reply, body: Body.ofValue(found?.value, want) }, want, codec(want, described, key));
  } catch (error) {
    throw unreadableBody(reply, error);
  }
}

/** It would have been another for another Accept (RFC 9110 §12.5.5). */
function byAccept(reply: Message): Message {
  const { status, headers, body, format, soapHeader } = reply;
  return { status, headers: withFields(headers, { vary: addVary(headers.vary) }), body, format, soapHeader };
}

function addVary(vary: string | undefined): string {
  return vary === undefined ? 'accept' : /\baccept\b(?!-)/i.test(vary) ? vary : `${vary}, accept`;
}

function replySchema(operation: OperationDocument, status: number | undefined): JsonSchema | undefined {
  if (status === undefined) return undefined;
  const others = operation.otherReplies ?? {};
  const other = others[String(status)] ?? others[`${Math.floor(status / 100)}XX`];
  if (other) return other.schema;
  return status < 300 ? operation.reply?.schema : others.default?.schema;
}

/** Name of the root element where a schema gives none: the last fixed part of the path. */
function rootName(operation: OperationDocument): string {
  const parts = operation.path.split('/').filter((p) => p && !p.includes('{') && p !== '*');
  const name = (parts[parts.length - 1] ?? 'reply').replace(/[^A-Za-z0-9_.-]/g, '-');
  return /^[A-Za-z_]/.test(name) ? name : `r-${name}`;
}
