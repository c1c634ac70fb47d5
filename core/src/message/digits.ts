/**
 * A number whose text JavaScript's own number would change: 9007199254740993, 0.90, 1e400. Values that survive the
 * round trip stay plain numbers. Nothing else in the core may turn number text into a number.
 */
export class Digits {
  constructor(readonly text: string) {}

  valueOf(): number {
    return Number(this.text);
  }

  toString(): string {
    return this.text;
  }

  /** For tools that know no digits: the nearest double, or the text where there is none. */
  toJSON(): number | string {
    const n = Number(this.text);
    return Number.isFinite(n) ? n : this.text;
  }
}

/** At most fifteen digits that end in no zero and are not too small: a double gives them back as they were written. */
const SAFE = /^(?:0|-?[1-9]\d{0,14}|-?(?:0|[1-9]\d{0,7})\.(?!0{5})\d{0,6}[1-9])$/;

/** `text` must be a JSON number (RFC 8259 §6). */
export function numberFromText(text: string): number | Digits {
  if (SAFE.test(text)) return Number(text);
  const n = Number(text);
  return String(n) === text ? n : new Digits(text);
}

export function isNumber(value: unknown): value is number | Digits {
  return typeof value === 'number' || value instanceof Digits;
}

/** Deep copy with plain numbers, for libraries that know no digits. Values without Digits come back as they are. */
export function lower(value: unknown): unknown {
  if (value instanceof Digits) return Number(value.text);
  if (Array.isArray(value)) {
    let copy: unknown[] | undefined;
    for (let i = 0; i < value.length; i++) {
      const v = lower(value[i]);
      if (v !== value[i]) (copy ??= value.slice())[i] = v;
    }
    return copy ?? value;
  }
  if (value !== null && typeof value === 'object') {
    const source = value as Record<string, unknown>;
    let copy: Record<string, unknown> | undefined;
    for (const key of Object.keys(source)) {
      const v = lower(source[key]);
      // Defined and not assigned: a member may be called __proto__.
      if (v !== source[key])
        Object.defineProperty((copy ??= { ...source }), key, {
          value: v,
          enumerable: true,
          configurable: true,
          writable: true,
        });
    }
    return copy ?? value;
  }
  return value;
}
