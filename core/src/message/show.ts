import { readJson, writeJson } from '../codec/json';
import { readMultipart } from '../codec/multipart';
import { LIMITS } from '../limits';
import type { Body } from './body';
import { isJson, isMultipart, isText } from './headers';
import type { Message, ShownMessage } from './message';
import { MASK, maskQuery, type SecretPlaces } from './secrets';

const MASKED = new Set(['authorization', 'proxy-authorization', 'cookie', 'set-cookie', 'x-api-key']);

/**
 * Makes a message fit to be shown and kept: secrets masked, long bodies cut. `secrets` are places besides the usual header fields. `light`: a body
 * of JSON is not read, its text says it all.
 */
export function showMessage(
  m: Message,
  secrets?: SecretPlaces,
  most: number = LIMITS.shownBytes,
  light = false,
): ShownMessage {
  const headers: Record<string, string> = {};
  for (const name in m.headers)
    headers[name] = MASKED.has(name) || secrets?.headers.has(name) ? MASK : m.headers[name]!;
  const base = {
    status: m.status,
    method: m.method,
    path: secrets && m.path !== undefined ? maskQuery(m.path, secrets.query) : m.path,
    headers,
    mediaType: m.body.mediaType,
    format: m.format,
    bytes: 0,
  };
  if (m.body.pending || m.body.isEmpty) return base;
  let text: string;
  try {
    // What is shown as its length alone need not be read as text.
    if (m.body.mediaType !== undefined && !isText(m.body.mediaType) && !isMultipart(m.body.mediaType))
      return { ...base, bytes: m.body.byteLength };
    text = m.body.text();
  } catch (error) {
    // A message that its own codec cannot write is still shown, as the value that was to be written.
    return { ...base, text: `(${(error as Error).message})` };
  }
  const bytes = m.body.byteLength;
  if (isMultipart(m.body.mediaType)) return { ...base, bytes, ...shownParts(m.body, most, light) };
  const cut = text.length > most;
  const shown = cut ? text.slice(0, most) : text;
  let body: unknown = light ? undefined : shown;
  if (!cut && !light && isJson(m.body.mediaType)) {
    try {
      body = readJson(text);
    } catch {
      body = shown;
    }
  }
  const known = isJson(m.body.mediaType) ? undefined : m.body.knownValue;
  const valueText =
    known !== null && typeof known === 'object'
      ? writeJson(m.soapHeader ? { body: known, soapHeader: m.soapHeader } : { body: known })
      : undefined;
  return {
    ...base,
    ...(body !== undefined && { body }),
    text: shown,
    bytes,
    ...(cut && { cut }),
    ...(valueText !== undefined && valueText.length <= most && { valueText }),
  };
}

/** A form of parts as text, with what is no text in it as it may look, and its parts as a tree. */
function shownParts(
  body: Body,
  most: number,
  light: boolean,
): Pick<ShownMessage, 'body' | 'text' | 'valueText' | 'cut'> {
  const raw = body.bytes();
  const cut = raw.length > most;
  const text = new TextDecoder().decode(cut ? raw.subarray(0, most) : raw);
  if (cut) return { text, cut };
  try {
    const known = body.knownValue;
    const value = typeof known === 'object' ? known : readMultipart(body.text(), body.mediaType, undefined, {});
    return { text, valueText: writeJson({ body: value }), ...(!light && { body: value }) };
  } catch {
    return { text };
  }
}
