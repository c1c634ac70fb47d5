import { isPlain, type Node } from './ast';
import { NotCompiled, type Bound, type Compile, type Evaluate } from './compiled';
import { ExpressionError } from './error';
import { whole } from './reach';
import { Fn, Frame, nested, TailCall, tick } from './values';

export function compileLambda(node: Node, bound: Bound, compile: Compile): Evaluate {
  // The library marks calls that end a function's body.
  if (node.thunk) return compileTail(node.body!, bound, compile);
  if (node.signature) throw new NotCompiled('function with a signature');
  const names = (node.arguments ?? []).map((a) => a.value as string);
  const body = compile(node.body!, new Set([...bound, ...names]));
  return (input, frame) =>
    new Fn(names.length, (args) => {
      const own = new Frame(frame);
      names.forEach((n, i) => own.bind(n, args[i]));
      return nested(() => body(input, own));
    });
}

function compileTail(call: Node, bound: Bound, compile: Compile): Evaluate {
  if (call.type !== 'function' || !isPlain(call)) return compile(call, bound);
  const f = compile(call.procedure!, bound);
  const args = (call.arguments ?? []).map((a) => compile(a, bound));
  return (input, frame) => {
    const proc = f(input, frame);
    const given = args.map((a) => a(input, frame));
    if (!(proc instanceof Fn)) throw new ExpressionError('T1006', 'what is called here is no function', call.position);
    return new TailCall(proc, given, whole(input));
  };
}

export function compileCall(node: Node, bound: Bound, compile: Compile, applied?: Evaluate): Evaluate {
  const procedure = node.procedure!;
  const f = compile(procedure, bound);
  const args = (node.arguments ?? []).map((a) => compile(a, bound));
  return (input, frame) => {
    const proc = f(input, frame);
    const given: unknown[] = applied ? [applied(input, frame)] : [];
    for (const a of args) given.push(a(input, frame));
    if (!(proc instanceof Fn)) throw new ExpressionError('T1006', 'what is called here is no function', node.position);
    tick();
    try {
      return proc.call(given, whole(input));
    } catch (error) {
      if (error instanceof ExpressionError && error.position === undefined)
        throw new ExpressionError(error.code, error.message, node.position);
      throw error;
    }
  };
}

export function compilePartial(node: Node, bound: Bound, compile: Compile): Evaluate {
  const f = compile(node.procedure!, bound);
  const args = (node.arguments ?? []).map((a) =>
    a.type === 'operator' && a.value === '?' ? undefined : compile(a, bound),
  );
  const open = args.filter((a) => a === undefined).length;
  return (input, frame) => {
    const proc = f(input, frame);
    if (!(proc instanceof Fn))
      throw new ExpressionError('T1008', 'what is partly applied here is no function', node.position);
    const fixed = args.map((a) => a?.(input, frame));
    return new Fn(open, (given, context) => {
      let n = 0;
      return proc.call(
        args.map((a, i) => (a === undefined ? given[n++] : fixed[i])),
        context,
      );
    });
  };
}

export function compileApply(node: Node, bound: Bound, compile: Compile): Evaluate {
  const left = compile(node.lhs as Node, bound);
  const right = node.rhs!;
  if (right.type === 'function' && isPlain(right)) return compileCall(right, bound, compile, left);
  const f = compile(right, bound);
  return (input, frame) => {
    const v = left(input, frame);
    const proc = f(input, frame);
    if (!(proc instanceof Fn))
      throw new ExpressionError('T2006', 'the right side of ~> must be a function', node.position);
    if (v instanceof Fn) return new Fn(1, (args, context) => proc.call([v.call(args, context)], context));
    return proc.call([v], whole(input));
  };
}
