import { randomBytes } from 'node:crypto';

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
  const traceId = usable ? m[2]! : randomBytes(16).toString('hex');
  const spanId = randomBytes(8).toString('hex');
  const sampled = usable ? (parseInt(m[4]!, 16) & 1) === 1 : true;
  return { traceId, spanId, sampled, traceparent: `00-${traceId}-${spanId}-${sampled ? '01' : '00'}` };
}
