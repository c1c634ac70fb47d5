/** What a kept answer of a backend can be validated by, and how long it said that it lives (RFC 9111 §4.3). */
export interface Validators {
  readonly etag?: string;
  readonly lastModified?: string;
  /** Its fields about freshness, which a 304 may change (§3.2). */
  readonly headers: Readonly<Record<string, string>>;
}

/** The backend says that what is kept is still right (RFC 9110 §15.4.5). Not a failure: whoever kept it catches this. */
export class NotModified extends Error {
  override readonly name = 'NotModified';

  constructor(readonly headers: Readonly<Record<string, string>>) {
    super('the answer that is kept is still right');
  }
}

const ABOUT_FRESHNESS = ['cache-control', 'expires', 'date', 'age', 'vary', 'pragma', 'etag', 'last-modified'] as const;

export function freshnessFields(headers: Readonly<Record<string, string>>): Record<string, string> {
  const out: Record<string, string> = {};
  for (const name of ABOUT_FRESHNESS) if (headers[name] !== undefined) out[name] = headers[name];
  return out;
}

/** Undefined where there is nothing to validate by. */
export function validatorsOf(headers: Readonly<Record<string, string>>): Validators | undefined {
  const { etag, 'last-modified': lastModified } = headers;
  if (etag === undefined && lastModified === undefined) return undefined;
  return {
    ...(etag !== undefined && { etag }),
    ...(lastModified !== undefined && { lastModified }),
    headers: freshnessFields(headers),
  };
}

/** RFC 9110 §13.1.2, §13.1.3: an entity tag goes before a date, where both are known both are sent. */
export function conditionFields({ etag, lastModified }: Validators): Record<string, string> {
  return {
    ...(etag !== undefined && { 'if-none-match': etag }),
    ...(lastModified !== undefined && { 'if-modified-since': lastModified }),
  };
}

/** The caller's own conditions, and a part of the whole, are between the caller and what is kept, not for the backend. */
export const CONDITIONS = [
  'if-none-match',
  'if-modified-since',
  'if-match',
  'if-unmodified-since',
  'if-range',
  'range',
];
