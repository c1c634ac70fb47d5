let second = NaN;
let begin = '';
let at = NaN;
let text = '';

/** The moment (RFC 3339, UTC, milliseconds). Writing it costs as much as reading a short body: what stays for a second is written once, all of it once within a millisecond. */
export function isoNow(): string {
  const now = Date.now();
  if (now === at) return text;
  const ms = now % 1000;
  if (now - ms !== second) {
    second = now - ms;
    begin = new Date(second).toISOString().slice(0, 20);
  }
  at = now;
  text = `${begin}${ms < 10 ? '00' : ms < 100 ? '0' : ''}${ms}Z`;
  return text;
}
