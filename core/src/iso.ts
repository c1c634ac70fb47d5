let at = NaN;
let text = '';

/** The moment (RFC 3339, UTC, milliseconds). Writing it costs as much as reading a short body: within a millisecond it is written once. */
export function isoNow(): string {
  const now = Date.now();
  if (now !== at) {
    at = now;
    text = new Date(now).toISOString();
  }
  return text;
}
