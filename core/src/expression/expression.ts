import { LIMITS } from '../limits';
import { bindsNames, isPlain, namesIn, rootPaths, type Node } from './ast';
import { compileNode } from './compile';
import { NotCompiled, type Evaluate } from './compiled';
import { parseExpression, runLibrary } from './library';
import { beginBudget, weigh, type Budget } from './budget';
import { Fn, Frame, isSequence } from './values';

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
  const library = parseExpression(source);
  const ast = library.ast() as unknown as Node;
  const reads = rootPaths(ast);
  const plain = ast.type === 'path' && isPlain(ast) && ast.steps!.every((s) => s.type === 'name' && isPlain(s));
  const path = plain && reads.length === 1 ? reads[0] : undefined;
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
  beginBudget((input as { budget?: Budget }).budget);
  if (!binds) return flat(run(input, NO_FRAME));
  const frame = new Frame(undefined);
  frame.bind('$', input);
  const result = flat(run(input, frame));
  // With names of its own an expression can share one part many times over; whoever writes it would write each.
  if (result !== null && typeof result === 'object') weigh(result, LIMITS.replyBytes);
  return result;
}

/** A result outside of expressions: lists are plain lists, functions are nothing. */
function flat(v: unknown): unknown {
  if (v instanceof Fn) return undefined;
  return isSequence(v) ? Array.from(v) : v;
}

/** The syntax tree of a text. Throws ExpressionError. */
export const expressionTree = (source: string): Node => parseExpression(source).ast() as unknown as Node;
