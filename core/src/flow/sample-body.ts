import { mediaCodec } from '../codec/media';
import { essence, isJson } from '../message/headers';
import { requestTypes, sampleOf, type TypeTable } from '../schema';
import type { OperationDocument } from './document';
import { bodiesOfRequest, requestSchema } from './request-schema';

/** One of the bodies that an operation takes, made from its schema as a case holds it: JSON as a value, other forms as text. */
export function sampleBody(
  operation: OperationDocument,
  wanted: string,
  all: TypeTable,
): { readonly mediaType: string; readonly body?: unknown } {
  const own = operation.request ?? {};
  const body = bodiesOfRequest(own).find((b) => essence(b.mediaType ?? 'application/json') === essence(wanted)) ?? own;
  const { mediaType = 'application/json', encoding, styles } = body;
  const types = requestTypes(all);
  const schema = requestSchema({ ...operation, request: { ...body, others: undefined } }, all);
  const value = schema && sampleOf(schema, types, { without: 'readOnly' });
  if (isJson(mediaType)) return { mediaType, body: value };
  const written = mediaCodec(mediaType, { schema: body.schema, types, encoding, styles })?.write(value);
  const concrete = mediaType.endsWith('/*') ? `${mediaType.slice(0, -1)}octet-stream` : mediaType;
  return written && !written.faults.length
    ? { mediaType: written.mediaType ?? mediaType, body: written.text }
    : { mediaType: concrete };
}
