import { PatternError, type Pattern } from './tree';
import { ANY, charSource, multiEscape, property, setOf, union, type CharSet } from './sets';

const LENGTH = 20_000;
const DEPTH = 50;
const COUNT = 1_000_000;

/** Throws PatternError. Characters that stand for themselves may have a backslash too, as the field writes them. */
export function parsePattern(source: string): Pattern {
  if (source.length > LENGTH) throw new PatternError(`it is longer than ${LENGTH} characters`, LENGTH);
  return new Parser(source).whole();
}

class Parser {
  private at = 0;
  private depth = 0;
  constructor(private readonly source: string) {}

  whole(): Pattern {
    const all = this.choice();
    if (this.at < this.source.length) this.fail(') closes nothing');
    return all;
  }

  private fail(words: string, at = this.at): never {
    throw new PatternError(words, at);
  }

  /** The next code point, and on; -1 at the end. */
  private take(): number {
    const code = this.source.codePointAt(this.at) ?? -1;
    this.at += code > 0xffff ? 2 : 1;
    return code;
  }

  private skip(text: string): boolean {
    if (!this.source.startsWith(text, this.at)) return false;
    this.at += text.length;
    return true;
  }

  private choice(): Pattern {
    if (++this.depth > DEPTH) this.fail(`it is nested deeper than ${DEPTH}`);
    const parts = [this.sequence()];
    while (this.skip('|')) parts.push(this.sequence());
    this.depth--;
    return parts.length === 1 ? parts[0]! : { kind: 'choice', parts };
  }

  private sequence(): Pattern {
    const parts: Pattern[] = [];
    while (this.at < this.source.length && this.source[this.at] !== '|' && this.source[this.at] !== ')')
      parts.push(this.quantified(this.atom()));
    return parts.length === 1 ? parts[0]! : { kind: 'sequence', parts };
  }

  private atom(): Pattern {
    const from = this.at;
    const code = this.take();
    switch (code) {
      case 0x28: {
        const inner = this.choice();
        if (!this.skip(')')) this.fail('( is not closed', from);
        return inner;
      }
      case 0x5b:
        return { kind: 'set', set: this.group(from) };
      case 0x2e:
        return { kind: 'set', set: ANY };
      case 0x5c: {
        const escaped = this.escape(from);
        return typeof escaped === 'number' ? single(escaped) : { kind: 'set', set: escaped };
      }
      case 0x3f:
      case 0x2a:
      case 0x2b:
        return this.fail(`${String.fromCharCode(code)} repeats nothing`, from);
      case 0x5d:
        return this.fail('] closes nothing', from);
      default:
        return single(code);
    }
  }

  /** Quantifiers (appendix F [4] to [8]): one at most. */
  private quantified(of: Pattern): Pattern {
    if (this.skip('?')) return { kind: 'repeat', of, min: 0, max: 1 };
    if (this.skip('*')) return { kind: 'repeat', of, min: 0, max: Infinity };
    if (this.skip('+')) return { kind: 'repeat', of, min: 1, max: Infinity };
    const from = this.at;
    const m = /^\{(\d+)(?:(,)(\d*))?\}/.exec(this.source.slice(from, from + 40));
    if (!m) return of;
    this.at += m[0].length;
    const min = Number(m[1]);
    const max = m[2] === undefined ? min : m[3] ? Number(m[3]) : Infinity;
    if (max < min) this.fail(`${m[0]} allows no number of times`, from);
    if (min > COUNT || (max > COUNT && max !== Infinity)) this.fail(`${m[0]} is more than ${COUNT} times`, from);
    return { kind: 'repeat', of, min, max };
  }

  /** After the backslash: a code point, or a set. */
  private escape(from: number): number | CharSet {
    const code = this.take();
    if (code < 0) this.fail('a \\ stands at the end', from);
    const letter = String.fromCodePoint(code);
    if (letter === 'n') return 10;
    if (letter === 'r') return 13;
    if (letter === 't') return 9;
    if (letter === 'p' || letter === 'P') {
      const m = /^\{([A-Za-z0-9-]{1,60})\}/.exec(this.source.slice(this.at, this.at + 70));
      const set = m && property(m[1]!, letter === 'P');
      if (!set) this.fail(`\\${letter}${m ? m[0] : ''} names no category and no block of Unicode`, from);
      this.at += m![0].length;
      return set;
    }
    const set = multiEscape(letter);
    if (set) return set;
    if (/[A-Za-z0-9]/.test(letter)) this.fail(`\\${letter} means nothing in XML Schema`, from);
    return code;
  }

  /** The inside of a character class, and its end (appendix F.1 [12] to [22]); `from` is where it begins. */
  private group(from: number): CharSet {
    if (++this.depth > DEPTH) this.fail(`it is nested deeper than ${DEPTH}`, from);
    const negated = this.skip('^');
    const sets: CharSet[] = [];
    let minus: CharSet | undefined;
    for (let first = true; ; first = false) {
      if (this.skip(']')) break;
      if (this.at >= this.source.length) this.fail('[ is not closed', from);
      const start = this.at;
      if (!first && this.skip('-[')) {
        minus = this.group(start + 1);
        if (!this.skip(']')) this.fail('nothing may follow a subtraction', this.at);
        break;
      }
      const low = this.classMember(start);
      if (typeof low !== 'number') sets.push(low);
      // A hyphen stands for itself before the end and before a subtraction.
      else if (this.source[this.at] === '-' && !/^-[\][]/.test(this.source.slice(this.at, this.at + 2))) {
        this.at++;
        const high = this.classMember(this.at);
        if (typeof high !== 'number') this.fail('a range ends with one character', start);
        if (high < low) this.fail('a range runs backwards', start);
        sets.push(setOf(`${charSource(low, true)}-${charSource(high, true)}`));
      } else sets.push(setOf(charSource(low, true)));
    }
    if (!sets.length) this.fail('the class holds nothing', from);
    this.depth--;
    return { ...union(sets, negated), ...(minus && { minus }) };
  }

  private classMember(from: number): number | CharSet {
    const code = this.take();
    if (code < 0) this.fail('[ is not closed', from);
    if (code === 0x5b) this.fail('[ stands in a class only to take away, after -', from);
    return code === 0x5c ? this.escape(from) : code;
  }
}

const single = (code: number): Pattern => ({ kind: 'set', set: setOf(charSource(code, true)), code });
