import { Digits } from '../message/digits';
import { ExpressionError } from './error';
import { Fn } from './values';

/**
 * JSONata's functions by their signatures: s text, n number, b boolean, a list, o object, f function, x anything, j JSON; `-` takes the
 * context when it is not given, `?` may be left out, `a<n>` makes a list of a single value and wants numbers in it. `arity` is what the
 * library's own implementation says of itself, which is what its higher-order functions go by.
 */
export interface Builtin {
  readonly signature: readonly Slot[];
  /** Arguments that must be given. */
  readonly required: number;
  readonly arity: number;
  readonly rest?: boolean;
  readonly run: (args: any[], input: unknown) => unknown; // eslint-disable-line @typescript-eslint/no-explicit-any
}

interface Slot {
  readonly types: string;
  readonly context: boolean;
  readonly optional: boolean;
  readonly item?: string;
}

export function slots(text: string): Slot[] {
  return [...text.matchAll(/(\([a-z]+\)|[a-z])(?:<([a-z])>)?([-?+]*)/g)].map((m) => ({
    types: m[1]!.replace(/[()]/g, ''),
    item: m[2],
    context: m[3]!.includes('-'),
    optional: m[3]!.includes('?'),
  }));
}

export function typeLetter(v: unknown): string {
  if (v === null) return 'l';
  if (v instanceof Digits || typeof v === 'number') return 'n';
  if (v instanceof Fn) return 'f';
  if (Array.isArray(v)) return 'a';
  return typeof v === 'string' ? 's' : typeof v === 'boolean' ? 'b' : 'o';
}

function fits(slot: Slot, v: unknown): boolean {
  if (v === undefined || slot.types === 'x') return true;
  const t = typeLetter(v);
  return slot.types.includes(t) || (slot.types === 'j' && t !== 'f') || slot.types === 'a';
}

/** True where arguments plainly are what the signature says, which is nearly always. */
function asIs(b: Builtin, args: readonly unknown[]): boolean {
  if (args.length < b.required || args.length > b.signature.length) return false;
  for (let i = 0; i < args.length; i++) {
    const v = args[i];
    const { types, item } = b.signature[i]!;
    if (
      types === 's'
        ? typeof v !== 'string'
        : types === 'n'
          ? typeof v !== 'number'
          : types === 'f'
            ? !(v instanceof Fn)
            : types === 'a'
              ? !Array.isArray(v) || !allNumbers(v, item)
              : types !== 'x'
    )
      return false;
  }
  return true;
}

function allNumbers(list: readonly unknown[], item: string | undefined): boolean {
  if (item === undefined) return true;
  if (item !== 'n') return false;
  for (let i = 0; i < list.length; i++) if (typeof list[i] !== 'number') return false;
  return true;
}

export function prepare(name: string, b: Builtin, given: readonly unknown[], input: unknown): unknown[] {
  if (asIs(b, given)) return given as unknown[];
  const args = given.slice();
  const [first] = b.signature;
  const { required } = b;
  if (first?.context && (args.length < required || (args.length < b.signature.length && !fits(first, args[0])))) {
    const rest = args.every((v, i) => b.signature[i + 1] !== undefined && fits(b.signature[i + 1]!, v));
    if (!rest) throw mismatch(name, args.length + 1);
    if (!fits(first, input)) throw new ExpressionError('T0411', `the context is no value that $${name} can take`);
    args.unshift(input);
  }
  if (!b.rest && args.length > b.signature.length) throw mismatch(name, b.signature.length + 1);
  b.signature.forEach((slot, i) => {
    const v = args[i];
    if (v === undefined) {
      if (i >= args.length && !slot.optional) throw mismatch(name, i + 1);
      return;
    }
    if (!fits(slot, v)) throw mismatch(name, i + 1);
    if (slot.types === 'a') {
      if (slot.item) {
        const list = Array.isArray(v) ? (v as unknown[]) : [v];
        const wrong = list.some((x) => !(slot.item === 'n' && typeof x === 'number') && typeLetter(x) !== slot.item);
        if (wrong)
          throw new ExpressionError(
            'T0412',
            `argument ${i + 1} of $${name} must be a list of ${slot.item === 'n' ? 'numbers' : slot.item === 's' ? 'texts' : 'objects'}`,
          );
      }
      if (!Array.isArray(v)) args[i] = [v];
    } else if (v instanceof Digits && slot.types !== 'x' && slot.types !== 'j') args[i] = Number(v.text);
  });
  return args;
}

const mismatch = (name: string, n: number): ExpressionError =>
  new ExpressionError('T0410', `argument ${n} of $${name} does not match what it takes`);
