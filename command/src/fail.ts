import { HingeError, placeText } from '@hinge/core';

/** One clear line on standard error. */
export class Failure extends Error {
  constructor(
    message: string,
    readonly exitCode = 1,
  ) {
    super(message);
  }
}

/** Turns whatever went wrong into the one line that a person needs: file, place, words, remedy. */
export function lineOf(error: unknown): string {
  if (error instanceof HingeError) {
    const f = error.finding;
    const where = placeText(f.place);
    return `${where ? `${where}: ` : ''}${f.message}. ${f.remedy} (${f.code})`;
  }
  // A fault of a form has a list of them for its message.
  const issues = (error as { issues?: { path: PropertyKey[]; message: string }[] } | null)?.issues;
  if (issues?.[0]) return `${issues[0].path.map(String).join('.')}: ${issues[0].message}`;
  return (error instanceof Error ? error.message : String(error)).split('\n')[0]!;
}
