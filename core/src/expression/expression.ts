import jsonata from 'jsonata';
import { LIMITS } from '../limits';
import { lower } from '../message/digits';
import { bindsNames, namesIn, rootPaths, type Node } from './ast';
import { compileNode } from './compile';
import { NotCompiled, type Evaluate } from './compiled';
import { ExpressionError } from './error';
import { isNames } from './operators';
import { beginBudget, Fn, Frame, isSequence } from './values';

/** A JSONata expression, ready to run. */
export interface Expression {
  readonly source: string;
  /** True when closures run it; false when the library does, construct by construct named in `why`. */
  readonly compiled: boolean;
  readonly why?: string;
  /** Name paths from the root that the expression reads, e.g. [['body', 'id']]. */
  readonly reads: readonly (readonly string[])[];
  /** The whole expression is one such path. */
  readonly path?: readonly string[];
  /** The input must be an object (the names in reach). Throws ExpressionError. */
  evaluate(input: object): unknown;
}

/** Throws ExpressionError with the position when the text is no JSONata. */
export function compileExpression(source: string): Expression {
  const library = parse(source);
  const ast = library.ast() as unknown as Node;
  const reads = rootPaths(ast);
  const path =
    ast.type === 'path' && ast.steps?.length === reads[0]?.length && reads.length === 1 ? reads[0] : undefined;
  let closure: Evaluate | undefined;
  let why: string | undefined;
  try {
    closure = compileNode(ast);
  } catch (error) {
    if (!(error instanceof NotCompiled)) throw error;
    why = error.construct;
  }
  if (closure) {
    const run = closure;
    const binds = bindsNames(ast);
    // A path alone needs no frame and no budget.
    if (path) return { source, compiled: true, reads, path, evaluate: (input) => flat(run(input, NO_FRAME)) };
    return { source, compiled: true, reads, path, evaluate: (input) => evaluate(run, input, binds) };
  }
  const roots = namesIn(ast);
  return { source, compiled: false, why, reads, path, evaluate: (input) => runLibrary(library, input, roots) };
}

const NO_FRAME = new Frame(undefined);

function evaluate(run: Evaluate, input: object, binds: boolean): unknown {
  beginBudget();
  if (!binds) return flat(run(input, NO_FRAME));
  const frame = new Frame(undefined);
  frame.bind('$', input);
  return flat(run(input, frame));
}

/** A result outside of expressions: lists are plain lists, functions are nothing. */
function flat(v: unknown): unknown {
  if (v instanceof Fn) return undefined;
  return isSequence(v) ? Array.from(v) : v;
}

/** The syntax tree of a text. Throws ExpressionError. */
export const expressionTree = (source: string): Node => parse(source).ast() as unknown as Node;

function parse(source: string): jsonata.Expression {
  try {
    return jsonata(source, {
      timeout: LIMITS.expressionMs,
      stack: LIMITS.expressionDepth,
      sequence: LIMITS.expressionItems,
    });
  } catch (error) {
    throw wordsOf(error);
  }
}

/** The library's evaluation, bounded in time, depth and length; `Digits` go in as plain numbers. */
async function runLibrary(
  library: jsonata.Expression,
  input: object,
  reads: ReadonlySet<string> | undefined,
): Promise<unknown> {
  try {
    const plain: Record<string, unknown> = {};
    if (isNames(input)) {
      for (const key of input.names) if (!reads || reads.has(key)) plain[key] = lower(input.read(key));
    } else for (const key in input) plain[key] = lower((input as Record<string, unknown>)[key]);
    return settle(await library.evaluate(plain));
  } catch (error) {
    throw wordsOf(error);
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

function wordsOf(error: unknown): ExpressionError {
  if (error instanceof ExpressionError) return error;
  const e = error as { code?: string; message?: string; position?: number; token?: string };
  // The library's positions count the characters up to and with the token.
  const position = typeof e.position === 'number' ? Math.max(0, e.position - (e.token?.length ?? 1)) : undefined;
  return new ExpressionError(e.code ?? 'D0000', (e.message ?? 'cannot be read').replace(/\.$/, ''), position);
}
