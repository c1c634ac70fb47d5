import { Digits } from '../../message/digits';

/** One simple value: XML text to JSON, and JSON to XML text. A failure is the words that say what is wrong. */
export interface SimpleCodec {
  /** Returns the JSON value, or `Misfit`. */
  read(text: string): unknown;
  /** Returns XML text (not escaped), or `Misfit`. */
  write(value: unknown): string | Misfit;
}

export class Misfit {
  constructor(readonly words: string) {}
}

const LOOSE = /^[ \t\n\r]|[ \t\n\r]$|[\t\n\r]| {2}/;
/** White space collapsed (Part 2 §4.3.6). */
export const collapse = (text: string): string => (LOOSE.test(text) ? text.replace(/[ \t\n\r]+/g, ' ').trim() : text);

export function brief(text: string): string {
  return text.length > 60 ? `${text.slice(0, 57)}…` : text;
}

export function show(value: unknown): string {
  if (value === null) return 'null';
  if (Array.isArray(value)) return 'a list';
  if (value instanceof Digits) return value.text;
  if (typeof value === 'object') return 'an object';
  return typeof value === 'string' ? `"${brief(value)}"` : String(value);
}

/** Says in words what is wrong with a text, or nothing. */
export type Rule = (text: string) => string | undefined;

/** Several rules as one: the first that is broken tells. Undefined for none. */
export function firstBroken(rules: readonly Rule[]): Rule | undefined {
  if (rules.length < 2) return rules[0];
  return (text) => {
    for (const rule of rules) {
      const words = rule(text);
      if (words !== undefined) return words;
    }
    return undefined;
  };
}
