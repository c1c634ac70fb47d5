import { STATUS_CODES, type IncomingMessage, type ServerResponse } from 'node:http';
import { GATEWAY_LIMITS } from '../limits';

/** What Node keeps of a response whose head it has written. */
interface Written {
  _header: string;
  _headerSent: boolean;
  finished: boolean;
}

const enum Name {
  Plain = 1,
  Date,
  /** Not a name, or one that says how the body or the connection ends. */
  Other,
}

const TOKEN = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;
const ENDS = new Set(['connection', 'keep-alive', 'transfer-encoding', 'trailer', 'upgrade', 'expect']);
/** What may not stand in the value of a field (RFC 9110 §5.5); characters from 128 to 255 may, as obs-text. */
const FORBIDDEN = /[^\t\x20-\x7e\x80-\xff]/;
const MOST_NAMES = 1_000;
const LONG = 128;

/** What is known of a name: its kind, and a value that may stand there. Most replies say in most fields what the last one said. */
interface Known {
  readonly kind: Name;
  value: string;
  /** The whole field, once the same value came twice. */
  line: string | undefined;
}
const names = new Map<string, Known>();

function known(name: string): Known {
  const before = names.get(name);
  if (before !== undefined) return before;
  const lower = name.toLowerCase();
  const kind = !TOKEN.test(name) || ENDS.has(lower) ? Name.Other : lower === 'date' ? Name.Date : Name.Plain;
  const made: Known = { kind, value: '', line: undefined };
  if (names.size >= MOST_NAMES) names.clear();
  names.set(name, made);
  return made;
}

/** A field as it stands in a head; undefined where its value cannot stand there. */
function lineOf(name: string, value: string, of: Known): string | undefined {
  if (value === of.value) return (of.line ??= `${name}: ${value}\r\n`);
  if (FORBIDDEN.test(value)) return undefined;
  if (value.length <= LONG) {
    of.value = value;
    of.line = undefined;
  }
  return `${name}: ${value}\r\n`;
}

const PAGE_BYTES = 16 * 1024;
/** Where head and body are put together. */
let page = Buffer.allocUnsafeSlow(PAGE_BYTES);

/** Head and body in one piece of the page; both have a character, or a byte, for each byte. */
function together(head: string, body: Uint8Array): Buffer {
  page.write(head, 0, 'latin1');
  page.set(body, head.length);
  return page.subarray(0, head.length + body.length);
}

/**
 * Writes a short reply and ends it: head and body in one piece, by one call into the system. Node goes over a head
 * several times and ends a response with an empty chunk. `fields`: names and values in turn, the content's length among
 * them; `body`: bytes, or a character for each. False, and nothing written, where there is more to think of than a
 * connection of HTTP/1.1 that goes on: Node does that, and finds fault with fields that cannot be sent.
 */
export function writeShort(
  req: IncomingMessage,
  res: ServerResponse,
  status: number,
  fields: readonly string[],
  body: string | Uint8Array,
): boolean {
  const { socket } = res;
  const plain = socket && res.shouldKeepAlive && req.httpVersion === '1.1' && req.method !== 'HEAD';
  if (!plain || status < 200 || res.headersSent || res.getHeaderNames().length !== 0) return false;
  let head = statusLine(status);
  let dated = false;
  for (let i = 0; i < fields.length; i += 2) {
    const name = fields[i]!;
    const value = fields[i + 1]!;
    const of = known(name);
    const line = of.kind === Name.Other ? undefined : lineOf(name, value, of);
    if (line === undefined) return false;
    if (of.kind === Name.Date) dated = true;
    head += line;
  }
  if (!dated) head += `Date: ${dateNow()}\r\n`;
  head += KEPT;
  res.statusCode = status;
  const written = res as unknown as Written;
  written._header = head;
  written._headerSent = true;
  written.finished = true;
  // What has no body by its status has none, whatever a flow says (RFC 9110 §15.3.5, §15.4.5): it would be read as the next reply.
  const bodiless = status === 204 || status === 304;
  // As Node ends one: what follows on this connection waits for it.
  const done = (error?: Error | null): void => {
    if (!error) res.emit('finish');
  };
  if (bodiless || typeof body === 'string') socket.write(bodiless ? head : head + body, 'latin1', done);
  // What is encrypted is never with the system at once: each reply would cost a page.
  else if (head.length + body.length > PAGE_BYTES || (socket as { encrypted?: boolean }).encrypted)
    socket.write(Buffer.concat([Buffer.from(head, 'latin1'), body]), done);
  else {
    socket.write(together(head, body), done);
    // Not all is with the system yet: the page is that connection's now.
    if (socket.writableLength > 0) page = Buffer.allocUnsafeSlow(PAGE_BYTES);
  }
  return true;
}

/** Seconds for which a connection is kept, at the least. */
export const KEEP_ALIVE = `timeout=${GATEWAY_LIMITS.keepAliveMs / 1000}`;
const KEPT = `Connection: keep-alive\r\nKeep-Alive: ${KEEP_ALIVE}\r\n\r\n`;

const statusLine = (status: number): string =>
  status === 200 ? 'HTTP/1.1 200 OK\r\n' : `HTTP/1.1 ${status} ${STATUS_CODES[status] ?? 'unknown'}\r\n`;

let second = 0;
let date = '';

/** RFC 9110 §5.6.7; written once in a second. */
function dateNow(): string {
  const now = Math.floor(Date.now() / 1000);
  if (now !== second) {
    second = now;
    date = new Date(now * 1000).toUTCString();
  }
  return date;
}
