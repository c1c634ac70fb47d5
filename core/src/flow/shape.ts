import Negotiator from 'negotiator';
import { MediaError, mediaCodec, type MediaCodec } from '../codec/media';
import { problemXml } from '../codec/problem-xml';
import { Body } from '../message/body';
import { essence, isJson, isMultipart, isXml, MULTIPART, withFields } from '../message/headers';
import type { Message } from '../message/message';
import { Refusal, type InputFault } from '../problem';
import type { JsonSchema, TypeTable } from '../schema';
import type { FlowDocument, OperationDocument } from './document';

/**
 * How a door shapes messages: a request in another form than the operation's own is read by the operation's schema; a reply goes out in the
 * form that the caller asked for (RFC 9110 §12.5.1), or in the one that the door always answers.
 */
export interface DoorShape {
  /** The request as the flow knows it; undefined where it already is. */
  inward(message: Message): Promise<Message> | undefined;
  outward(reply: Message, accept: string | undefined): Message;
}

const FORMS = ['application/json', 'application/xml'] as const;
type Form = (typeof FORMS)[number];

export function compileShape(
  door: FlowDocument['doors'][number],
  operation: OperationDocument,
  types: TypeTable,
): DoorShape {
  const own = operation.request?.mediaType ?? 'application/json';
  const schema = operation.request?.schema;
  const encoding = operation.request?.encoding;
  const root = rootName(operation);
  const codecs = new Map<string, MediaCodec | undefined>();
  const codec = (mediaType: string, s: JsonSchema | undefined, key: string): MediaCodec | undefined => {
    const k = `${key} ${essence(mediaType)}`;
    if (!codecs.has(k))
      codecs.set(k, mediaCodec(mediaType, { schema: s, types, root, lenient: key === 'request', encoding }));
    return codecs.get(k);
  };
  const convertible = (m: string) =>
    isJson(m) || isXml(m) || isMultipart(m) || essence(m) === 'application/x-www-form-urlencoded';

  return {
    inward(message) {
      const given = message.headers['content-type'];
      const other =
        given !== undefined &&
        schema !== undefined &&
        essence(given) !== essence(own) &&
        !(isJson(given) && isJson(own));
      if (door.answers === 'json' && given !== undefined && isXml(given) && isJson(own)) return undefined;
      // Its parts are read when somebody asks for them, and only then.
      if (schema !== undefined && given !== undefined && isMultipart(given) && isMultipart(own)) {
        const parts = codec(own, schema, 'request')!;
        const text = { read: (t: string) => parts.read(t, given).value, write: (v: unknown) => parts.write(v).text };
        message.body.readBy(text);
        return undefined;
      }
      const structured = isXml(own) && schema !== undefined;
      if (!(other && convertible(given) && convertible(own)) && !structured) return undefined;
      const reader = codec(given ?? own, schema, 'request');
      return reader && read(message, reader, own, codec(own, schema, 'request'));
    },
    outward(reply, accept) {
      const has = reply.headers['content-type'];
      if (has === undefined || !(isJson(has) || isXml(has))) return reply;
      const want = wanted(door.answers === 'json' || door.answers === 'xml' ? door.answers : undefined, accept, has);
      if (want === undefined || (want === 'application/json' ? isJson(has) : isXml(has))) return reply;
      return convert(reply, want, codec(want, replySchema(operation, reply.status), `reply ${reply.status}`));
    },
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
  const text = { read: (t: string) => reader.read(t).value, write: (v: unknown) => writer?.write(v).text ?? '' };
  return {
    ...message,
    headers: withFields(message.headers, { 'content-type': own }),
    body: Body.ofValue(value, own, isJson(own) ? undefined : text),
    format: isJson(own) ? 'JSON' : 'XML',
  };
}

/** What the caller is to get; undefined: as it is. */
function wanted(answers: 'json' | 'xml' | undefined, accept: string | undefined, has: string): Form | undefined {
  if (answers) return answers === 'xml' ? 'application/xml' : 'application/json';
  // Most callers take anything, or JSON: nothing to weigh.
  if (accept === undefined || accept === '*/*' || (isJson(has) && !accept.includes('xml'))) return undefined;
  const normal = accept.replaceAll('text/xml', 'application/xml').replaceAll('problem+xml', 'xml');
  const own: Form = isJson(has) ? 'application/json' : 'application/xml';
  const order = [own, ...FORMS.filter((f) => f !== own)];
  return new Negotiator({ headers: { accept: normal } }).mediaType(order) as Form | undefined;
}

function convert(reply: Message, want: Form, writer: MediaCodec | undefined): Message {
  const problem = /problem\+/.test(essence(reply.headers['content-type']));
  const value = reply.body.value();
  const mediaType = problem ? want.replace('/', '/problem+') : want;
  let text: string | undefined;
  if (problem && want === 'application/xml') text = problemXml(value);
  else {
    const written = writer?.write(value);
    // What the schema does not describe goes out in the general form rather than not at all.
    text =
      written && written.faults.length === 0 ? written.text : mediaCodec(want, { root: 'reply' })!.write(value).text;
  }
  return {
    ...reply,
    headers: withFields(reply.headers, { 'content-type': mediaType, vary: addVary(reply.headers.vary) }),
    body: Body.ofText(text, mediaType),
    format: want === 'application/xml' ? 'XML' : 'JSON',
  };
}

/** RFC 9110 §12.5.5. */
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
