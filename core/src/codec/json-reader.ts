import { LIMITS } from '../limits';
import { numberFromText } from '../message/digits';

export class JsonError extends Error {
  constructor(
    message: string,
    /** Offset into the text, in UTF-16 units. */
    readonly position: number,
  ) {
    super(message);
    this.name = 'JsonError';
  }
}

const NUMBER = /-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?/y;
const SPACE = /[ \t\n\r]*/y;
const STRING = /"(?:[^"\\\u0000-\u001f]|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*"/y; // eslint-disable-line no-control-regex

/** RFC 8259 with every digit kept and every mistake placed. Slower than JSON.parse, which takes all that loses nothing. */
export class JsonReader {
  private at = 0;

  constructor(private readonly text: string) {}

  read(): unknown {
    this.space();
    const value = this.value(0);
    this.space();
    if (this.at < this.text.length) this.fail('the text goes on after the value');
    return value;
  }

  private fail(words: string, position = this.at): never {
    throw new JsonError(position >= this.text.length ? 'the text ends too early' : words, position);
  }

  private space(): void {
    SPACE.lastIndex = this.at;
    SPACE.exec(this.text);
    this.at = SPACE.lastIndex;
  }

  private value(depth: number): unknown {
    if (depth > LIMITS.jsonDepth) this.fail(`arrays and objects are nested deeper than ${LIMITS.jsonDepth}`);
    const c = this.text[this.at];
    if (c === '{') return this.object(depth);
    if (c === '[') return this.array(depth);
    if (c === '"') return this.string();
    for (const [word, value] of WORDS) {
      if (this.text.startsWith(word, this.at)) {
        this.at += word.length;
        return value;
      }
    }
    NUMBER.lastIndex = this.at;
    const number = NUMBER.exec(this.text);
    if (!number) this.fail(c === undefined ? '' : `${JSON.stringify(c)} is not the beginning of a value`);
    this.at = NUMBER.lastIndex;
    return numberFromText(number[0]);
  }

  private string(): string {
    STRING.lastIndex = this.at;
    const found = STRING.exec(this.text);
    if (!found) this.fail('this string is not closed, or holds a character that must be escaped');
    this.at = STRING.lastIndex;
    return JSON.parse(found[0]) as string;
  }

  private array(depth: number): unknown[] {
    const out: unknown[] = [];
    this.at++;
    this.space();
    if (this.take(']')) return out;
    for (;;) {
      out.push(this.value(depth + 1));
      this.space();
      if (this.take(']')) return out;
      if (!this.take(',')) this.fail('a comma or ] must stand here');
      this.space();
    }
  }

  private object(depth: number): Record<string, unknown> {
    const out: Record<string, unknown> = {};
    this.at++;
    this.space();
    if (this.take('}')) return out;
    for (;;) {
      if (this.text[this.at] !== '"') this.fail('the name of a member must stand here, in double quotes');
      const name = this.string();
      this.space();
      if (!this.take(':')) this.fail('a colon must stand here');
      this.space();
      const value = this.value(depth + 1);
      // Assigning would set the prototype instead of a member.
      if (name === '__proto__')
        Object.defineProperty(out, name, { value, enumerable: true, configurable: true, writable: true });
      else out[name] = value;
      this.space();
      if (this.take('}')) return out;
      if (!this.take(',')) this.fail('a comma or } must stand here');
      this.space();
    }
  }

  private take(c: string): boolean {
    if (this.text[this.at] !== c) return false;
    this.at++;
    return true;
  }
}

const WORDS: readonly (readonly [string, unknown])[] = [
  ['true', true],
  ['false', false],
  ['null', null],
];
