/** Lexical forms of XML Schema Part 2 §3.2, for types that JSON carries as text. Sources stand unanchored. */
const ZONE = '(Z|[+-]\\d\\d:\\d\\d)?';

const FORMS: Record<string, readonly [form: string, words: string]> = {
  dateTime: [
    `-?\\d{4,}-(0[1-9]|1[0-2])-(0[1-9]|[12]\\d|3[01])T\\d\\d:\\d\\d:\\d\\d(\\.\\d+)?${ZONE}`,
    'a date and time (2026-12-04T05:30:00+01:00)',
  ],
  date: [`-?\\d{4,}-(0[1-9]|1[0-2])-(0[1-9]|[12]\\d|3[01])${ZONE}`, 'a date (2026-12-04)'],
  time: [`\\d\\d:\\d\\d:\\d\\d(\\.\\d+)?${ZONE}`, 'a time (05:30:00)'],
  duration: [
    '-?P(?=\\d|T\\d)(\\d+Y)?(\\d+M)?(\\d+D)?(T(?=\\d)(\\d+H)?(\\d+M)?(\\d+(\\.\\d+)?S)?)?',
    'a duration (P2DT3H)',
  ],
  gYear: [`-?\\d{4,}${ZONE}`, 'a year'],
  gYearMonth: [`-?\\d{4,}-\\d\\d${ZONE}`, 'a year and month'],
  gMonthDay: [`--\\d\\d-\\d\\d${ZONE}`, 'a month and day'],
  gDay: [`---\\d\\d${ZONE}`, 'a day of a month'],
  gMonth: [`--\\d\\d${ZONE}`, 'a month'],
  hexBinary: ['([0-9a-fA-F]{2})*', 'bytes as hexadecimal digits'],
  base64Binary: ['[A-Za-z0-9+/ \\t\\r\\n]*={0,2}\\s*', 'bytes as base64'],
};

export interface LexicalForm {
  readonly test: RegExp;
  readonly words: string;
  /** Anchored, for a JSON Schema `pattern`. */
  readonly pattern: string;
}

const made = new Map(
  Object.entries(FORMS).map(([name, [form, words]]) => [
    name,
    { test: new RegExp(`^${form}$`), words, pattern: `^${form}$` },
  ]),
);

export function lexicalForm(builtin: string): LexicalForm | undefined {
  return made.get(builtin);
}
