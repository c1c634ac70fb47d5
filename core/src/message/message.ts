import type { Body } from './body';
import type { Headers } from './headers';

/** A message at one point of a flow. Immutable: a step that changes it makes a new one, so an observer may keep any. */
export interface Message {
  /** A request has method and path, a reply has a status. */
  readonly status?: number;
  readonly method?: string;
  /** Path and query as they stand on the wire. */
  readonly path?: string;
  readonly headers: Headers;
  readonly body: Body;
  /** Declared SOAP header blocks by local name, where the message is SOAP. */
  readonly soapHeader?: Readonly<Record<string, unknown>>;
  /** What it is, for eyes: "SOAP 1.1", "JSON". */
  readonly format?: string;
}

/** A message as a rehearsal or a trace shows it: plain JSON. XML and text bodies as text. */
export interface ShownMessage {
  readonly status?: number;
  readonly method?: string;
  readonly path?: string;
  readonly headers: Headers;
  readonly mediaType?: string;
  readonly format?: string;
  readonly body?: unknown;
  /** The body's text as it stands on the wire, cut at LIMITS.shownBytes, in a rehearsal at LIMITS.rehearsedBytes. */
  readonly text?: string;
  /** Text of the JSON form, where the body is not JSON and a schema gave it one; a SOAP header stands beside the body. */
  readonly valueText?: string;
  readonly bytes: number;
  readonly cut?: boolean;
}
