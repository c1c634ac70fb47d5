import { CLOCK, MONTH_DAY, realDay } from '../../schema/calendar';
import { NAME_CHARS, NAME_START } from '../../xml/characters';

/** Lexical forms of XML Schema Part 2 §3.2, for types that JSON carries as text. Sources stand unanchored. */
const ZONE = '(Z|[+-](?:0\\d|1[0-3]):[0-5]\\d|[+-]14:00)?';
/** Midnight at the end of a day may be 24:00:00 (§3.2.7). */
const TIME = `(?:${CLOCK}|24:00:00(?:\\.0+)?)`;

const NO_COLON = `[${NAME_START}][${NAME_START}${NAME_CHARS}]*`;

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
  hexBinary: ['(?:[0-9a-fA-F]{2})*', 'bytes as hexadecimal digits'],
  base64Binary: ['[A-Za-z0-9+/ ]*(?:= ?)?=?', 'bytes as base64'],
  language: ['[a-zA-Z]{1,8}(?:-[a-zA-Z0-9]{1,8})*', 'a language (en-GB)'],
  NMTOKEN: [`[:${NAME_START}${NAME_CHARS}]+`, 'a name token'],
  Name: [`[:${NAME_START}][:${NAME_START}${NAME_CHARS}]*`, 'a name'],
  ...Object.fromEntries(
    ['NCName', 'ID', 'IDREF', 'ENTITY'].map((name) => [name, [NO_COLON, 'a name without a colon'] as const]),
  ),
  ...Object.fromEntries(
    ['QName', 'NOTATION'].map((name) => [
      name,
      [`(?:${NO_COLON}:)?${NO_COLON}`, 'a name, with or without a prefix'] as const,
    ]),
  ),
};

export interface LexicalForm {
  test(text: string): boolean;
  readonly words: string;
  /** Anchored, for a JSON Schema `pattern`. */
  readonly pattern: string;
}

/** What a form leaves open, or says at a price that grows with the text. */
const TESTS: Record<string, (text: string, whole: RegExp) => boolean> = {
  dateTime: (text, whole) => whole.test(text) && realDay(text),
  date: (text, whole) => whole.test(text) && realDay(text),
  // A repeated group would cost memory for each round of it.
  hexBinary: (text) => text.length % 2 === 0 && /^[0-9a-fA-F]*$/.test(text),
  base64Binary: (text, whole) => whole.test(text) && isBase64(text),
};

/** §3.2.16: four characters each, a single blank between any two, and no bits behind the last byte. */
function isBase64(text: string): boolean {
  const bare = text.includes(' ') ? text.replaceAll(' ', '') : text;
  if (bare.length % 4 !== 0 || text.includes('  ')) return false;
  if (bare.endsWith('==')) return /[AQgw]/.test(bare[bare.length - 3]!);
  return !bare.endsWith('=') || /[AEIMQUYcgkosw048]/.test(bare[bare.length - 2]!);
}

const made = new Map(Object.entries(FORMS).map(([name, [form, words]]) => [name, compiled(name, form, words)]));

function compiled(name: string, form: string, words: string): LexicalForm {
  const whole = new RegExp(`^(?:${form})$`, 'u');
  const test = TESTS[name] ?? ((text: string, form: RegExp) => form.test(text));
  return { test: (text) => test(text, whole), words, pattern: `^${form}$` };
}

export function lexicalForm(builtin: string): LexicalForm | undefined {
  return made.get(builtin);
}
