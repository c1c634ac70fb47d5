import { HingeError } from '../problem';

const TEXT_SPECIAL = /[&<>\r]/;
const ATTRIBUTE_SPECIAL = /[&<>"\t\n\r]/;
/** Characters that XML 1.0 §2.2 does not allow even as references. */
// eslint-disable-next-line no-control-regex
const FORBIDDEN = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/;

const REFERENCES: Record<string, string> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  '\t': '&#9;',
  '\n': '&#10;',
  '\r': '&#13;',
};

export function hasForbidden(text: string): boolean {
  return FORBIDDEN.test(text);
}

export function escapeText(text: string): string {
  if (!TEXT_SPECIAL.test(text)) return text;
  return text.replace(/[&<>\r]/g, (c) => REFERENCES[c]!);
}

export function escapeAttribute(text: string): string {
  return ATTRIBUTE_SPECIAL.test(text) ? text.replace(/[&<>"\t\n\r]/g, (c) => REFERENCES[c]!) : text;
}

const LATIN1 = new TextDecoder('latin1');
const decoders = new Map<string, InstanceType<typeof TextDecoder>>();

/** Throws RangeError for a name that no encoding has (WHATWG Encoding). */
function decoderFor(encoding: string): InstanceType<typeof TextDecoder> {
  let decoder = decoders.get(encoding);
  if (!decoder) {
    decoder = new TextDecoder(encoding, { fatal: true });
    if (decoders.size < 100) decoders.set(encoding, decoder);
  }
  return decoder;
}

const DECLARED = /^<\?xml[^>]*?encoding\s*=\s*["']([A-Za-z][A-Za-z0-9._-]*)["']/;

/**
 * Bytes of an XML document to text. Order of trust: byte order mark, then `charset` of the media type (RFC 7303 §3.2),
 * then the XML declaration, then UTF-8 (XML 1.0 appendix F). Unreadable bytes are an error, never replaced.
 */
export function decodeXml(bytes: Uint8Array, charset?: string, file?: string): string {
  let encoding = charset?.toLowerCase();
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) encoding = 'utf-8';
  else if (bytes[0] === 0xfe && bytes[1] === 0xff) encoding = 'utf-16be';
  else if (bytes[0] === 0xff && bytes[1] === 0xfe) encoding = 'utf-16le';
  else if (!encoding) {
    const head = LATIN1.decode(bytes.subarray(0, 200));
    encoding = DECLARED.exec(head)?.[1]?.toLowerCase() ?? 'utf-8';
  }
  try {
    return decoderFor(encoding).decode(bytes);
  } catch (cause) {
    throw new HingeError(
      'HNG-104',
      `${file ?? 'the document'} is not readable as ${encoding}`,
      file ? { file, line: 1 } : {},
      { cause },
    );
  }
}

/** True where neither its media type nor its declaration names another encoding than UTF-8, in which ASCII is written alike. */
export function saysUtf8(text: string, charset: string | undefined): boolean {
  return [charset, DECLARED.exec(text)?.[1]].every((name) => name === undefined || /^(utf-?8|us-ascii)$/i.test(name));
}
