import { JsonError, readJson, writeJson } from '../codec/json';
import { decodeXml, saysUtf8 } from '../xml';
import { fromLatin1, latin1 } from './latin1';
import { charsetOf, isJson, isMultipart, isXml } from './headers';

/** Turns bytes into a value and back. A codec that knows a schema throws its own refusals. */
export interface BodyCodec {
  read(text: string): unknown;
  write(value: unknown): string;
}

const JSON_CODEC: BodyCodec = { read: readJson, write: writeJson };
const TEXT_CODEC: BodyCodec = {
  read: (t) => t,
  write: (v) => (typeof v === 'string' ? v : v === undefined ? '' : writeJson(v)),
};

/** Reads a stream of bytes once; the gateway supplies it for bodies that nobody may ask for. */
export type ByteSource = () => Promise<Uint8Array>;

const EMPTY = new Uint8Array(0);
const UTF8 = new TextDecoder();
const STRICT = new TextDecoder('utf-8', { fatal: true });
const ENCODER = new TextEncoder();

/**
 * A message body: bytes until somebody asks for the value, a value until somebody asks for the bytes. Immutable from
 * outside: both forms say the same. The text of a form of parts that came as bytes has a character for each.
 */
export class Body {
  private bytesForm: Uint8Array | undefined;
  private textForm: string | undefined;
  private valueForm: unknown;
  private hasValue = false;
  private source: ByteSource | undefined;
  private told: ((error: unknown) => unknown) | undefined;
  /** The wire itself, for whoever passes the body on unread; gone once it was loaded. Only the gateway knows its kind. */
  stream: unknown;
  /** Bytes that the wire says will come (Content-Length, RFC 9110 §8.6), where it says so. */
  announced: number | undefined;

  private constructor(
    readonly mediaType: string | undefined,
    private codec: BodyCodec,
  ) {}

  static empty(): Body {
    const b = new Body(undefined, TEXT_CODEC);
    b.bytesForm = EMPTY;
    b.textForm = '';
    b.hasValue = true;
    return b;
  }

  static ofBytes(bytes: Uint8Array, mediaType: string | undefined, codec?: BodyCodec): Body {
    const b = new Body(mediaType, codec ?? codecFor(mediaType));
    b.bytesForm = bytes;
    return b;
  }

  static ofText(text: string, mediaType: string | undefined, codec?: BodyCodec): Body {
    const b = new Body(mediaType, codec ?? codecFor(mediaType));
    b.textForm = text;
    return b;
  }

  static ofValue(value: unknown, mediaType: string | undefined, codec?: BodyCodec): Body {
    const b = new Body(mediaType, codec ?? codecFor(mediaType));
    b.valueForm = value;
    b.hasValue = true;
    return b;
  }

  /** Text whose value is known already. */
  static ofParsed(text: string, value: unknown, mediaType: string | undefined): Body {
    const b = Body.ofText(text, mediaType);
    b.valueForm = value;
    b.hasValue = true;
    return b;
  }

  /**
   * What was read of another body, with its value, or with a codec that makes it. An XML document of another encoding than UTF-8 keeps its
   * bytes: who passes it on unchanged passes on what its declaration and its media type say (RFC 7303 §3).
   */
  static ofRead(from: Body, read: { readonly value: unknown } | { readonly codec: BodyCodec }): Body {
    const text = from.text();
    const b =
      'codec' in read ? Body.ofText(text, from.mediaType, read.codec) : Body.ofParsed(text, read.value, from.mediaType);
    if (isXml(from.mediaType) && !saysUtf8(text, charsetOf(from.mediaType))) b.bytesForm = from.bytesForm;
    return b;
  }

  /** Bytes whose value is known already, where it is given. */
  static ofBytesAndValue(bytes: Uint8Array, value: unknown, mediaType: string | undefined): Body {
    const b = Body.ofBytes(bytes, mediaType);
    b.valueForm = value;
    b.hasValue = value !== undefined;
    return b;
  }

  /** What a codec wrote: a character for each byte where it is a form of parts, else text. */
  static ofWritten(text: string, value: unknown, mediaType: string | undefined): Body {
    if (isMultipart(mediaType)) return Body.ofBytesAndValue(fromLatin1(text), value, mediaType);
    return Body.ofParsed(text, value, mediaType);
  }

  /** A body that is still on the wire. `load` runs at most once, when somebody asks. */
  static ofSource(load: ByteSource, mediaType: string | undefined, stream?: unknown, announced?: number): Body {
    const b = new Body(mediaType, codecFor(mediaType));
    b.stream = stream;
    b.announced = announced;
    b.source = load;
    return b;
  }

  /** Who asks for the value from now on gets it by this codec. */
  readBy(codec: BodyCodec): void {
    if (!this.hasValue) this.codec = codec;
  }

  /** What cannot be loaded fails in these words. */
  failBy(told: (error: unknown) => unknown): void {
    this.told = told;
  }

  /** Bytes must be here before text() or value() of a body from a source. */
  async load(): Promise<void> {
    if (!this.source) return;
    const load = this.source;
    try {
      this.bytesForm = await load();
    } catch (error) {
      throw this.told?.(error) ?? error;
    }
    this.source = undefined;
    this.stream = undefined;
  }

  get pending(): boolean {
    return this.source !== undefined;
  }

  get isEmpty(): boolean {
    if (this.bytesForm) return this.bytesForm.length === 0;
    if (this.textForm !== undefined) return this.textForm === '';
    return !this.source && this.valueForm === undefined;
  }

  /** True when the text is here, or is made from the value, before the bytes are. */
  get hasText(): boolean {
    return this.bytesForm === undefined && !this.source;
  }

  text(): string {
    if (this.textForm === undefined) {
      if (this.bytesForm)
        this.textForm = isXml(this.mediaType)
          ? decodeXml(this.bytesForm, charsetOf(this.mediaType))
          : isMultipart(this.mediaType)
            ? latin1(this.bytesForm)
            : isJson(this.mediaType)
              ? jsonText(this.bytesForm)
              : UTF8.decode(this.bytesForm);
      else if (this.source) throw new Error('the body has not been loaded');
      else this.textForm = this.valueForm === undefined ? '' : this.codec.write(this.valueForm);
    }
    return this.textForm;
  }

  bytes(): Uint8Array {
    if (!this.bytesForm) this.bytesForm = ENCODER.encode(this.text());
    return this.bytesForm;
  }

  value(): unknown {
    if (!this.hasValue) {
      this.valueForm = this.isEmpty ? undefined : this.codec.read(this.text());
      this.hasValue = true;
    }
    return this.valueForm;
  }

  /** The value if it is there already; nothing is read for it. */
  get knownValue(): unknown {
    return this.hasValue ? this.valueForm : undefined;
  }

  /** Lets go of all it holds. Only for whoever alone has it and is done with it. */
  release(): void {
    this.bytesForm = EMPTY;
    this.textForm = '';
    this.valueForm = undefined;
    this.hasValue = true;
    this.source = undefined;
    this.stream = undefined;
  }

  get byteLength(): number {
    return this.bytes().length;
  }
}

/** RFC 8259 §8.1: JSON that is sent is UTF-8. Throws JsonError with the place of what is none. */
function jsonText(bytes: Uint8Array): string {
  try {
    return STRICT.decode(bytes);
  } catch {
    const lenient = UTF8.decode(bytes);
    throw new JsonError('the text is no UTF-8', Math.max(0, lenient.indexOf('\ufffd')));
  }
}

function codecFor(mediaType: string | undefined): BodyCodec {
  return isJson(mediaType) ? JSON_CODEC : TEXT_CODEC;
}
