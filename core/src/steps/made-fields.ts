import type { Run } from '../flow/run';
import { isHop } from '../message/hop';
import { Refusal } from '../problem';

/** A token (RFC 9110 §5.6.2). */
const NAME = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;
/** What may not stand in a value (RFC 9110 §5.5); characters from 128 to 255 may, as obs-text. */
const FORBIDDEN = /[^\t\x20-\x7e\x80-\xff]/;

/**
 * Header fields that a flow made, by lower-case name, before they go anywhere. What would end the field or the message early is refused, with 400
 * where it came from the caller. Fields of one hop (RFC 9110 §7.6.1) are the gateway's own business and are left out; Host is not. `came`: fields
 * that stand in the message at hand, which may have several cookies.
 */
export function demandFields(
  run: Run,
  made: Record<string, string>,
  came: Readonly<Record<string, string>> = {},
): Record<string, string> {
  for (const name in made) {
    if (isHop(name) && name !== 'host') {
      delete made[name];
      continue;
    }
    const value = made[name]!;
    if (!NAME.test(name)) throw refusal(run, name, `"${shown(name)}" is no name of a header field`);
    if (!FORBIDDEN.test(value)) continue;
    if (
      name === 'set-cookie' &&
      (value === came[name] ||
        value.split('\n').every((v) => !FORBIDDEN.test(v) && came[name]?.split('\n').includes(v)))
    )
      continue;
    throw refusal(run, name, `the value of ${name} holds ${charOf(value)}`);
  }
  return made;
}

const charOf = (value: string): string => {
  const c = FORBIDDEN.exec(value)![0].charCodeAt(0);
  return c === 10 || c === 13 ? 'a line end' : `the character U+${c.toString(16).toUpperCase().padStart(4, '0')}`;
};

const shown = (text: string): string => JSON.stringify(text.slice(0, 60)).slice(1, -1);

function refusal(run: Run, name: string, inner: string): Refusal {
  const caller = callerSent(run);
  return new Refusal('HNG-426', {
    ...(caller && { status: 400 }),
    detail: caller
      ? `A value of the request goes into the header field ${shown(name)}, where it cannot stand.`
      : 'The flow made a header field that cannot be sent. The trace says which.',
    inner,
  });
}

/** Something that no header field can hold came with the request. */
function callerSent(run: Run): boolean {
  // Outside of a flow there is nobody who asked.
  if (!(run.came as Run['came'] | undefined)) return false;
  const { path, query, cookies, headerParameters, message } = run.came;
  const bodyOf = (): unknown => {
    try {
      return message.body.pending || !message.body.value ? undefined : message.body.value();
    } catch {
      return undefined;
    }
  };
  return [path, query, cookies, headerParameters, bodyOf()].some((v) => holdsForbidden(v, 0));
}

function holdsForbidden(v: unknown, depth: number): boolean {
  if (typeof v === 'string') return FORBIDDEN.test(v);
  if (v === null || typeof v !== 'object' || depth > 32) return false;
  return Object.entries(v).some(([k, x]) => FORBIDDEN.test(k) || holdsForbidden(x, depth + 1));
}
