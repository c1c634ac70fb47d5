import { codeRow, type Code, type Severity } from './codes';

/** Where something is wrong. `pointer` is an RFC 6901 pointer into the flow document; line and column count from 1. */
export interface Place {
  readonly file?: string;
  readonly line?: number;
  readonly column?: number;
  readonly pointer?: string;
  /** Offset into an expression's text, in UTF-16 units. */
  readonly position?: number;
}

/** What the checker says: stable code, severity, place, words, remedy. */
export interface Finding {
  readonly code: Code;
  readonly severity: Severity;
  readonly message: string;
  readonly remedy: string;
  readonly place: Place;
}

export function finding(code: Code, message: string, place: Place = {}, remedy?: string): Finding {
  const row = codeRow(code);
  return { code, severity: row.severity, message, remedy: remedy ?? row.remedy, place };
}

export function placeText(place: Place): string {
  const parts: string[] = [];
  if (place.file) parts.push(place.file);
  if (place.line !== undefined)
    parts.push(place.column === undefined ? `line ${place.line}` : `line ${place.line}, column ${place.column}`);
  if (place.pointer) parts.push(place.pointer);
  if (place.position !== undefined) parts.push(`character ${place.position + 1}`);
  return parts.join(', ');
}

/** One line for a terminal: code, place, words, remedy. */
export function findingText(f: Finding): string {
  const where = placeText(f.place);
  return `${f.code} ${f.severity}${where ? ` at ${where}` : ''}: ${f.message}. ${f.remedy}`;
}

/** An input that cannot be used at all. Carries the one finding that says so. */
export class HingeError extends Error {
  readonly finding: Finding;
  constructor(code: Code, message: string, place: Place = {}, options: { remedy?: string; cause?: unknown } = {}) {
    super(message, options.cause === undefined ? undefined : { cause: options.cause });
    this.name = 'HingeError';
    this.finding = finding(code, message, place, options.remedy);
  }
}
