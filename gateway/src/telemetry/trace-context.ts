import { randomBytes } from 'node:crypto';

/** Random digits are drawn in one go for many requests: each call into the generator costs more than the digits. */
const DRAWN_BYTES = 2048;
let digits = '';
let used = 0;

function randomHex(length: number): string {
  if (used + length > digits.length) {
    digits = randomBytes(DRAWN_BYTES).toString('hex');
    used = 0;
  }
  used += length;
  return digits.slice(used - length, used);
}

/** W3C Trace Context, level 1: traceparent is 00-{32 hex}-{16 hex}-{2 hex}, neither id all zeros (§3.2). */
export interface TraceContext {
  readonly traceId: string;
  readonly spanId: string;
  readonly sampled: boolean;
  readonly traceparent: string;
}

const FORM = /^([0-9a-f]{2})-([0-9a-f]{32})-([0-9a-f]{16})-([0-9a-f]{2})(-.*)?$/;

export function traceContext(received: string | undefined): TraceContext {
  const m = received === undefined ? null : FORM.exec(received);
  // Version ff is invalid; version 00 has nothing behind the flags (§3.2.2.5).
  const usable = m && m[1] !== 'ff' && !(m[1] === '00' && m[5]) && !/^0+$/.test(m[2]!) && !/^0+$/.test(m[3]!);
  const traceId = usable ? m[2]! : randomHex(32);
  const spanId = randomHex(16);
  const sampled = usable ? (parseInt(m[4]!, 16) & 1) === 1 : true;
  return { traceId, spanId, sampled, traceparent: `00-${traceId}-${spanId}-${sampled ? '01' : '00'}` };
}
