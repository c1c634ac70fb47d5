import { Refusal } from '../../problem';

export interface BreakerSettings {
  readonly failures: number;
  readonly windowS?: number;
  readonly restS?: number;
}

export interface Breaker {
  /** Throws HNG-508 while the address is left alone. */
  demand(address: string, now: number, backend: string): void;
  tell(address: string, now: number, ok: boolean): void;
  state(address: string, now: number): 'closed' | 'open' | 'trying';
}

interface Seen {
  failures: number[];
  openUntil: number;
  /** One request is out to see whether the backend is back. */
  trying: boolean;
}

/** A circuit breaker for each address: closed, open for a rest after too many failures in a window, then one try. */
export function breakerFor(settings: BreakerSettings): Breaker {
  const windowMs = (settings.windowS ?? 30) * 1000;
  const restMs = (settings.restS ?? 10) * 1000;
  const all = new Map<string, Seen>();
  const of = (address: string): Seen => {
    let s = all.get(address);
    if (!s) {
      if (all.size > 1_000) all.clear();
      all.set(address, (s = { failures: [], openUntil: 0, trying: false }));
    }
    return s;
  };
  return {
    demand(address, now, backend) {
      const s = of(address);
      if (s.openUntil === 0) return;
      if (now >= s.openUntil && !s.trying) {
        s.trying = true;
        return;
      }
      const wait = Math.max(1, Math.ceil((s.openUntil - now) / 1000));
      throw new Refusal('HNG-508', {
        backend,
        detail: `${backend} is left alone for now, after ${settings.failures} failures.`,
        headers: { 'retry-after': String(wait) },
      });
    },
    tell(address, now, ok) {
      const s = of(address);
      if (ok) {
        if (s.openUntil > 0) all.delete(address);
        return;
      }
      const was = s.trying;
      s.trying = false;
      s.failures = [...s.failures.filter((t) => now - t < windowMs), now];
      if (was || s.failures.length >= settings.failures) {
        s.openUntil = now + restMs;
        s.failures = [];
      }
    },
    state(address, now) {
      const s = of(address);
      return s.openUntil === 0 ? 'closed' : now < s.openUntil ? 'open' : 'trying';
    },
  };
}
