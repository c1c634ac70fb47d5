import { ExpressionError } from './error';
import { charge } from './budget';
import { asString, plain } from './operators';
import { Fn, tick } from './values';
import { costOf, inTime, OutOfTime } from '../pattern';

export const chars = (text: string): string[] => Array.from(text);
export const hasWide = (text: string): boolean => /[\ud800-\udfff]/.test(text);

export function substring(text: string, start: number, length?: number): string {
  if (hasWide(text)) {
    const list = chars(text);
    return slice(list, list.length, start, length).join('');
  }
  return slice(text, text.length, start, length) as string;
}

function slice<T extends string | string[]>(v: T, size: number, start: number, length: number | undefined): T {
  const from = size + start < 0 ? 0 : start;
  if (length === undefined) return v.slice(from) as T;
  if (length <= 0) return v.slice(0, 0) as T;
  return v.slice(from, from >= 0 ? from + length : size + from + length) as T;
}

export const failed = (code: string, words: string): never => {
  throw new ExpressionError(code, words);
};
/** One match as the library tells it. */
interface Match {
  readonly match: string;
  readonly start: number;
  readonly end: number;
  readonly groups: (string | undefined)[];
}

/** A regular expression as a value: what the functions on text take besides text. */
export class Pattern extends Fn {
  private readonly costs: ReturnType<typeof costOf>;

  constructor(readonly regex: RegExp) {
    // As a function it gives the first match behind a place, or nothing: that is what a predicate asks. The library's has two arguments, too.
    super(2, ([given, from]) => this.first(typeof given === 'string' ? given : String(plain(given)), from), 'pattern');
    this.costs = costOf(regex);
  }

  /** Matches in order. Those of an expression that could keep the gateway busy are looked for all at once, and in time. */
  *all(text: string): Generator<Match> {
    if (this.costs(text.length) === 'low') {
      yield* this.search(text);
      return;
    }
    yield* this.inTime(() => [...this.search(text)]);
  }

  private first(text: string, from: unknown): Match | undefined {
    const start = typeof from === 'number' ? from : 0;
    if (this.costs(text.length) === 'low') return this.search(text, start).next().value as Match | undefined;
    return this.inTime(() => this.search(text, start).next().value as Match | undefined);
  }

  private inTime<T>(run: () => T): T {
    try {
      return inTime(run);
    } catch (error) {
      if (error instanceof OutOfTime) failed('D1012', `the pattern /${this.regex.source}/ ${error.message}`);
      throw error;
    }
  }

  private *search(text: string, from = 0): Generator<Match> {
    const re = new RegExp(
      this.regex.source,
      this.regex.flags.includes('g') ? this.regex.flags : `${this.regex.flags}g`,
    );
    re.lastIndex = from;
    for (let first = true; ; first = false) {
      if (!first && re.lastIndex >= text.length) return;
      tick();
      const m = re.exec(text);
      if (!m) return;
      if (!first && m[0] === '') failed('D1004', 'the pattern matches nothing at all');
      yield { match: m[0], start: m.index, end: m.index + m[0].length, groups: m.slice(1) };
    }
  }
}

function substitute(template: string, m: Match): string {
  const digits = m.groups.length === 0 ? 1 : Math.floor(Math.log10(m.groups.length)) + 1;
  let out = '';
  let position = 0;
  for (let at = template.indexOf('$'); at !== -1 && position < template.length; at = template.indexOf('$', position)) {
    out += template.slice(position, at);
    position = at + 1;
    const next = template.charAt(position);
    if (next === '$' || next === '0') {
      out += next === '$' ? '$' : m.match;
      position++;
      continue;
    }
    let index = parseInt(template.slice(position, position + digits), 10);
    if (digits > 1 && index > m.groups.length) index = parseInt(template.slice(position, position + digits - 1), 10);
    if (Number.isNaN(index)) out += '$';
    else {
      out += m.groups[index - 1] ?? '';
      position += String(index).length;
    }
  }
  return out + template.slice(position);
}

export function replace(
  text: string,
  pattern: string | Pattern,
  by: string | Fn,
  limit: number | undefined,
  input: unknown,
): string {
  if (pattern === '') failed('D3010', 'the second argument of $replace cannot be empty');
  if (limit !== undefined && limit < 0) failed('D3011', 'the limit of $replace cannot be negative');
  const most = limit ?? Infinity;
  let out = '';
  let position = 0;
  let n = 0;
  if (typeof pattern === 'string') {
    for (let at = text.indexOf(pattern); at !== -1 && n < most; at = text.indexOf(pattern, position), n++) {
      tick();
      const made = typeof by === 'string' ? by : asString(by);
      charge(made.length);
      out += text.slice(position, at) + made;
      position = at + pattern.length;
    }
    return out + text.slice(position);
  }
  if (most <= 0) return text;
  for (const m of pattern.all(text)) {
    const made = typeof by === 'string' ? substitute(by, m) : by.call([{ ...m }], input);
    if (typeof made !== 'string') return failed('D3012', 'what replaces must be text');
    charge(made.length);
    out += text.slice(position, m.start) + made;
    position = m.end;
    if (++n >= most) break;
  }
  return out + text.slice(position);
}

export function split(text: string, by: string | Pattern, limit: number | undefined): string[] {
  if (limit !== undefined && limit < 0) failed('D3020', 'the limit of $split cannot be negative');
  if (limit === 0) return [];
  if (typeof by === 'string') {
    tick(text.length >> 8);
    return text.split(by, limit);
  }
  const out: string[] = [];
  let start = 0;
  for (const m of by.all(text)) {
    if (limit !== undefined && out.length >= limit) return out;
    out.push(text.slice(start, m.start));
    start = m.end;
  }
  if (limit === undefined || out.length < limit) out.push(text.slice(start));
  return out;
}

export function pad(text: string, width: number, given: string | undefined): string {
  const char = given === undefined || given === '' ? ' ' : given;
  const w = Math.trunc(width);
  const missing = Math.abs(w) - chars(text).length;
  if (missing <= 0) return text;
  if (missing > 1_000_000) failed('D2015', 'the width of $pad is too large');
  charge(2 * missing);
  const padding = substring(char.repeat(Math.ceil(missing / chars(char).length)), 0, missing);
  return w > 0 ? text + padding : padding + text;
}

export function urlCoded(name: string, text: string, run: (t: string) => string): string {
  try {
    return run(text);
  } catch {
    return failed('D3140', `${text} cannot be taken by $${name}`);
  }
}
