import jsonata from 'jsonata';
import { LIMITS } from '../limits';
import { lower } from '../message/digits';
import { costOf, inTime, OutOfTime } from '../pattern';
import { Budget, held, Stopwatch, weigh } from './budget';
import { ExpressionError } from './error';
import { isNames } from './operators';

/** Texts of the library's own errors, in our form. */
export function errorOf(error: unknown): ExpressionError {
  if (error instanceof ExpressionError) return error;
  const e = error as { code?: string; message?: string; position?: number; token?: string };
  // The library's positions count the characters up to and with the token.
  const position = typeof e.position === 'number' ? Math.max(0, e.position - (e.token?.length ?? 1)) : undefined;
  return new ExpressionError(e.code ?? 'D0000', (e.message ?? 'cannot be read').replace(/\.$/, ''), position);
}

/** Regular expressions of the library, looked for in bounded time. */
class BoundedRegExp {
  lastIndex = 0;
  private readonly costs: ReturnType<typeof costOf>;
  constructor(private readonly regex: RegExp) {
    this.costs = costOf(regex);
  }

  exec(given: unknown): RegExpExecArray | null {
    const text = String(given);
    const search = (): RegExpExecArray | null => {
      this.regex.lastIndex = this.lastIndex;
      const found = this.regex.exec(text);
      this.lastIndex = this.regex.lastIndex;
      return found;
    };
    if (this.costs(text.length) === 'low') return search();
    try {
      return inTime(search);
    } catch (error) {
      if (!(error instanceof OutOfTime)) throw error;
      throw new ExpressionError('D1012', `the pattern /${this.regex.source}/ ${error.message}`);
    }
  }
}

/** The syntax of a text. Throws ExpressionError with the position where it is none. */
export function parseExpression(source: string): jsonata.Expression {
  try {
    return jsonata(source, {
      stack: LIMITS.expressionDepth,
      sequence: LIMITS.expressionItems,
      RegexEngine: BoundedRegExp as unknown as RegExpConstructor,
    });
  } catch (error) {
    throw errorOf(error);
  }
}

/** Whose evaluation runs: the library's are made one after the other. */
let meter: Meter | undefined;

class Meter {
  private entries = 0;
  private readonly watch = new Stopwatch();
  constructor(private readonly budget: Budget) {
    this.watch.lap();
  }

  /** An evaluation of the library does as much as several of our steps. */
  step(n = 4): void {
    this.budget.steps += n;
    if (this.budget.steps > LIMITS.expressionSteps)
      throw new ExpressionError('D1012', `the expressions did more than ${LIMITS.expressionSteps} steps`);
    if (++this.entries % 32 === 0 || n > 1_000) this.look();
  }

  look(): void {
    const spent = this.watch.lap();
    this.budget.ms += spent;
    held(spent);
    if (this.budget.ms > this.budget.limits.ms)
      throw new ExpressionError('D1012', `the expressions took more than ${this.budget.limits.ms} ms`);
  }

  charge(bytes: number): void {
    this.budget.bytes += bytes;
    if (this.budget.bytes > this.budget.limits.bytes)
      throw new ExpressionError('D1012', `the expressions made more than ${this.budget.limits.bytes} bytes`);
  }
}

const MAKERS: ReadonlySet<string> = new Set(['binary', 'function', 'apply', 'unary']);

/** What one call of a function would make, or do, before it is made. */
const BEFORE: Readonly<Record<string, (args: readonly unknown[], m: Meter) => void>> = {
  pad: ([, width, char], m) => m.charge(Math.abs(Number(width) || 0) * Math.max(1, String(char ?? ' ').length)),
  join: ([list, by], m) => {
    const between = String(by ?? '').length;
    if (Array.isArray(list)) for (const t of list) m.charge(String(t).length + between);
  },
  string: ([v], m) => {
    if (v !== null && typeof v === 'object') m.charge(weigh(v, LIMITS.replyBytes));
  },
  sort: ([list, by], m) => {
    if (Array.isArray(list) && by === undefined) m.step(list.length * Math.ceil(Math.log2(list.length + 2)));
  },
  distinct: ([list], m) => {
    if (Array.isArray(list)) m.step(Math.ceil((list.length * list.length) / 8));
  },
  append: ([a, b], m) => m.charge(8 * Math.min(sizeOf(a), sizeOf(b))),
  base64encode: ([text], m) => m.charge(2 * String(text ?? '').length),
  base64decode: ([text], m) => m.charge(String(text ?? '').length),
  encodeUrl: ([text], m) => m.charge(3 * String(text ?? '').length),
  encodeUrlComponent: ([text], m) => m.charge(3 * String(text ?? '').length),
  clone: ([v], m) => m.charge(weigh(v, LIMITS.replyBytes)),
};

const sizeOf = (v: unknown): number => (Array.isArray(v) ? v.length : 1);

interface LibraryFunction {
  readonly implementation: (...args: unknown[]) => unknown;
  readonly signature: { readonly definition: string };
}

const originals = new Map<string, LibraryFunction>();
const guarded = new WeakSet<jsonata.Expression>();

async function guard(library: jsonata.Expression): Promise<void> {
  if (guarded.has(library)) return;
  for (const [name, before] of Object.entries(BEFORE)) {
    let original = originals.get(name);
    if (!original) {
      original = (await jsonata(`$${name}`).evaluate({})) as LibraryFunction;
      originals.set(name, original);
    }
    const { implementation, signature } = original;
    library.registerFunction(
      name,
      function (this: unknown, ...args: unknown[]) {
        if (meter) before(args, meter);
        return implementation.apply(this, args);
      },
      signature.definition,
    );
  }
  const assign = library.assign.bind(library) as unknown as (name: symbol, value: unknown) => void;
  assign(Symbol.for('jsonata.__evaluate_entry'), () => meter?.step());
  assign(Symbol.for('jsonata.__evaluate_exit'), (node: { type: string }, _i: unknown, _e: unknown, made: unknown) => {
    if (!meter || !MAKERS.has(node.type)) return;
    if (typeof made === 'string') meter.charge(node.type === 'binary' ? made.length / 2 : made.length);
    else if (Array.isArray(made)) meter.charge(8 * made.length);
  });
  guarded.add(library);
}

let last: Promise<unknown> = Promise.resolve();

/** The library's evaluation, bounded in time, depth, length and bytes made; `Digits` go in as plain numbers. Throws ExpressionError. */
export function runLibrary(
  library: jsonata.Expression,
  input: object,
  reads: ReadonlySet<string> | undefined,
): Promise<unknown> {
  // It waits between its steps, and others would come in between.
  const mine = last.then(() => evaluate(library, input, reads));
  last = mine.catch(() => undefined);
  return mine;
}

async function evaluate(
  library: jsonata.Expression,
  input: object,
  reads: ReadonlySet<string> | undefined,
): Promise<unknown> {
  try {
    await guard(library);
    const plain: Record<string, unknown> = {};
    if (isNames(input)) {
      for (const key of input.names) if (!reads || reads.has(key)) plain[key] = lower(input.read(key));
    } else for (const key in input) plain[key] = lower((input as Record<string, unknown>)[key]);
    meter = new Meter((input as { budget?: Budget }).budget ?? new Budget());
    const result: unknown = await library.evaluate(plain);
    meter.look();
    // Parts may be shared many times over; what comes out is written with each of them.
    if (result !== null && typeof result === 'object') weigh(result, LIMITS.replyBytes);
    return settle(result);
  } catch (error) {
    throw errorOf(error);
  } finally {
    meter = undefined;
  }
}

/** Library results may be sequences or functions; callers get plain JSON. */
function settle(value: unknown): unknown {
  if (typeof value === 'function') return undefined;
  if (Array.isArray(value)) return value.map(settle);
  if (value !== null && typeof value === 'object') {
    const out: Record<string, unknown> = {};
    for (const [k, v] of Object.entries(value)) {
      if (k === '_jsonata_function' || k === '_jsonata_lambda') return undefined;
      const s = settle(v);
      if (s !== undefined) out[k] = s;
    }
    return out;
  }
  return value;
}
