import { MediaError, mediaCodec, type MediaCodec } from '../../codec/media';
import type { ShapeFault } from '../../codec/xml';
import type { ContractOperation, HttpReply } from '../../contract';
import type { BackendReply } from '../../flow/ports';
import type { Run } from '../../flow/run';
import { backendUrl } from '../../message/backend-url';
import { Body } from '../../message/body';
import { essence, fitsRange, isJson, isXml, withFields } from '../../message/headers';
import { endToEnd } from '../../message/hop';
import type { Message } from '../../message/message';
import { Refusal } from '../../problem';
import { replySide, replyTypes } from '../../schema';
import type { BackendContext } from '../kind';
import { operationOfMessage } from '../map/to-backend';
import type { CallDocument } from './schema';
import { compileCaller } from './caller';
import { loadReply, textOf, unreadable } from './send';

/** Calls an operation of an OpenAPI contract. The reply is read by the schema that the contract gives for its status and media type. */
export function httpCall(step: CallDocument, backend: BackendContext, operation: ContractOperation, timeoutMs: number) {
  const lenient = backend.document.reply === 'lenient';
  const call = compileCaller(step, backend);
  const readers = new Map<string, MediaCodec | undefined>();
  let last: { readonly status: number; readonly mediaType: string; readonly reader?: MediaCodec } = {
    status: 0,
    mediaType: '',
  };
  const readerFor = (status: number, mediaType: string): MediaCodec | undefined => {
    // Most answers are like the one before.
    if (status === last.status && mediaType === last.mediaType) return last.reader;
    const key = `${status} ${essence(mediaType)}`;
    if (!readers.has(key)) {
      const all = backend.contract!.types;
      const schema = replySide(mediaFor(replyFor(operation, status)?.media, mediaType)?.schema, all);
      const types = replyTypes(all);
      if (readers.size > 200) readers.clear();
      readers.set(key, mediaCodec(mediaType, { schema, types, lenient, root: operation.id }));
    }
    last = { status, mediaType, reader: readers.get(key) };
    return last.reader;
  };
  return async (run: Run): Promise<void> => {
    const m = run.message;
    if (operationOfMessage(m)?.id !== operation.id)
      throw new Refusal('HNG-420', {
        detail: 'A step of the flow failed. The trace says which.',
        inner: `no map made a request for ${operation.id} before this call`,
      });
    const reply = await call(run, {
      operation: operation.id,
      url: (address) => backendUrl(address, m.path!),
      method: m.method!,
      headers: withFields(m.headers, run.outbound),
      body: m.body,
      timeoutMs,
    });
    await loadReply(reply, backend, run);
    if (run.observer) run.notes = { ...run.notes, status: reply.status };
    run.message = asMessage(reply, reply.body);
    const mediaType = reply.body.mediaType ?? '';
    const empty = reply.body.isEmpty;
    const read = empty ? undefined : readerFor(reply.status, mediaType);
    const shown = read ? readBody(read, reply, backend) : { value: undefined, faults: [] };
    if (reply.status >= 300) throw failed(step, backend, operation, reply, shown.value);
    const declared = replyFor(operation, reply.status);
    if (!lenient) demand(declared, operation, backend, reply, mediaType);
    if (shown.faults.length) throw breaks(backend, shown.faults);
    if (read) {
      const body = Body.ofRead(reply.body, { value: shown.value });
      run.message = { status: reply.status, headers: reply.headers, body, format: run.message.format };
      // `Run.release` says why.
      reply.body.release();
    }
  };
}

function readBody(codec: MediaCodec, reply: BackendReply, backend: BackendContext) {
  try {
    return codec.read(textOf(reply, backend), reply.body.mediaType);
  } catch (error) {
    if (!(error instanceof MediaError)) throw error;
    if (reply.status >= 300) return { value: textOf(reply, backend), faults: [] };
    throw unreadable(backend, `status ${reply.status}, ${essence(reply.body.mediaType)}: ${error.message}`, error);
  }
}

/** What the contract says of a status: its own entry, its class, then the default. */
export function replyFor(operation: ContractOperation, status: number): HttpReply | undefined {
  const replies = operation.http!.replies;
  const text = String(status);
  return (
    replies.find((r) => r.status === text) ??
    replies.find((r) => r.status === `${Math.floor(status / 100)}XX`) ??
    replies.find((r) => r.status === 'default')
  );
}

const sameMedia = (declared: string, given: string): boolean => {
  if (declared === given) return true;
  const d = essence(declared);
  const g = essence(given);
  if (fitsRange(g, d)) return true;
  // Of XML too: text/xml is what application/xml is (RFC 7303 §9.2).
  return (isJson(d) && isJson(g)) || (isXml(d) && isXml(g));
};

/** What is declared for a media type: by its very name before its kind. */
const mediaFor = <M extends { readonly mediaType: string }>(media: readonly M[] = [], given: string): M | undefined =>
  media.find((m) => essence(m.mediaType) === essence(given)) ?? media.find((m) => sameMedia(m.mediaType, given));

/** A strict backend answers with a status and a media type that its contract names. */
function demand(
  declared: HttpReply | undefined,
  operation: ContractOperation,
  backend: BackendContext,
  reply: BackendReply,
  mediaType: string,
): void {
  if (!declared) {
    const names = operation.http!.replies.map((r) => r.status).join(', ');
    throw breaks(backend, [{ pointer: '', words: `status ${reply.status} is none of ${names}`, kind: 'type' }]);
  }
  if (!declared.media.length || reply.body.isEmpty || mediaFor(declared.media, mediaType)) return;
  throw breaks(backend, [
    {
      pointer: '',
      words: `content type ${essence(mediaType) || '(none)'} for status ${reply.status}; ${declared.media.map((m) => m.mediaType).join(' or ')} was expected`,
      kind: 'type',
    },
  ]);
}

export function breaks(backend: BackendContext, faults: readonly ShapeFault[]): Refusal {
  return new Refusal('HNG-505', {
    backend: backend.name,
    detail: `The answer of ${backend.name} breaks its contract.`,
    inner: faults
      .slice(0, 10)
      .map((f) => `${f.pointer || '/'} ${f.words}`)
      .join('; '),
  });
}

/**
 * An answer that is no success. What the contract declares for callers of that operation, and other refusals of the request, go on with
 * their status and body; a failure of the backend, or of our own credentials there, is a 502.
 */
function failed(
  step: CallDocument,
  backend: BackendContext,
  operation: ContractOperation,
  reply: BackendReply,
  value: unknown,
): Refusal {
  const { status } = reply;
  const mapped = step.faults?.[String(status)];
  const reason = reasonOf(value) ?? `status ${status}`;
  const inner = `${backend.name} answered ${status}: ${reason}`;
  const declared = operation.http!.replies.some((r) => r.status === String(status));
  const fault = { code: String(status), reason, ...(value !== undefined && { detail: value }) };
  if (mapped)
    return new Refusal('HNG-506', {
      backend: backend.name,
      backendStatus: status,
      status: mapped.status,
      title: mapped.title,
      detail: reason,
      fault,
      inner,
    });
  const ours = (status === 401 || status === 403 || status === 407) && !declared;
  if (status < 500 && !ours && (declared || status >= 400)) {
    const mediaType = reply.body.mediaType;
    const asIs = isJson(mediaType) || value === undefined;
    const headers = endToEnd(reply.headers);
    if (!asIs) headers['content-type'] = 'application/json';
    return new Refusal('HNG-506', {
      backend: backend.name,
      backendStatus: status,
      status,
      fault,
      inner,
      reply: { status, headers, body: asIs ? reply.body : Body.ofValue(value, 'application/json'), format: 'JSON' },
    });
  }
  const retry = reply.headers['retry-after'];
  return new Refusal('HNG-507', {
    backend: backend.name,
    backendStatus: status,
    detail: ours ? `${backend.name} does not let the gateway in.` : reason,
    fault: ours ? undefined : fault,
    inner,
    ...(retry !== undefined && { headers: { 'retry-after': retry } }),
  });
}

function reasonOf(value: unknown): string | undefined {
  if (typeof value === 'string') return value.slice(0, 300) || undefined;
  if (value === null || typeof value !== 'object') return undefined;
  for (const key of ['detail', 'message', 'title', 'error_description', 'error', 'reason']) {
    const v = (value as Record<string, unknown>)[key];
    if (typeof v === 'string' && v) return v.slice(0, 300);
  }
  return undefined;
}

function asMessage(reply: BackendReply, body: Body): Message {
  const type = reply.body.mediaType;
  return { status: reply.status, headers: reply.headers, body, format: isJson(type) ? 'JSON' : essence(type) };
}
