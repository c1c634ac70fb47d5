import { CLOCK, MONTH_DAY, realDay } from '../../schema/calendar';

/** Lexical forms of XML Schema Part 2 §3.2, for types that JSON carries as text. Sources stand unanchored. */
const ZONE = '(Z|[+-](?:0\\d|1[0-3]):[0-5]\\d|[+-]14:00)?';
/** Midnight at the end of a day may be 24:00:00 (§3.2.7). */
const TIME = `(?:${CLOCK}|24:00:00(?:\\.0+)?)`;

const FORMS: Record<string, readonly [form: string, words: string]> = {
  dateTime: [`-?\\d{4,}-${MONTH_DAY}T${TIME}${ZONE}`, 'a date and time (2026-12-04T05:30:00+01:00)'],
  date: [`-?\\d{4,}-${MONTH_DAY}${ZONE}`, 'a date (2026-12-04)'],
  time: [`${TIME}${ZONE}`, 'a time (05:30:00)'],
  duration: [
    '-?P(?=\\d|T\\d)(\\d+Y)?(\\d+M)?(\\d+D)?(T(?=\\d)(\\d+H)?(\\d+M)?(\\d+(\\.\\d+)?S)?)?',
    'a duration (P2DT3H)',
  ],
  gYear: [`-?\\d{4,}${ZONE}`, 'a year'],
  gYearMonth: [`-?\\d{4,}-(?:0[1-9]|1[0-2])${ZONE}`, 'a year and month'],
  gMonthDay: [`--${MONTH_DAY}${ZONE}`, 'a month and day'],
  gDay: [`---(?:0[1-9]|[12]\\d|3[01])${ZONE}`, 'a day of a month'],
  gMonth: [`--(?:0[1-9]|1[0-2])${ZONE}`, 'a month'],
  hexBinary: ['([0-9a-fA-F]{2})*', 'bytes as hexadecimal digits'],
  base64Binary: ['[A-Za-z0-9+/ \\t\\r\\n]*={0,2}\\s*', 'bytes as base64'],
};

export interface LexicalForm {
  test(text: string): boolean;
  readonly words: string;
  /** Anchored, for a JSON Schema `pattern`. */
  readonly pattern: string;
}

const made = new Map(Object.entries(FORMS).map(([name, [form, words]]) => [name, compiled(form, words)]));

function compiled(form: string, words: string): LexicalForm {
  const whole = new RegExp(`^${form}$`);
  return { test: (text) => whole.test(text) && realDay(text), words, pattern: `^${form}$` };
}

export function lexicalForm(builtin: string): LexicalForm | undefined {
  return made.get(builtin);
}
