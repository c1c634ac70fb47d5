import { isPlain, type Node } from './ast';
import {
  append,
  arithmetic,
  asString,
  compare,
  equal,
  isNames,
  isSequence,
  lookup,
  makeSequence,
  truth,
  type Sequence,
} from './operators';

export type Evaluate = (input: unknown) => unknown;

/** Thrown while compiling: the construct belongs to the library. The compiler never approximates. */
export class NotCompiled extends Error {
  constructor(readonly construct: string) {
    super(construct);
  }
}

/** Compiles one node of JSONata's syntax tree to a closure over the input, or throws NotCompiled. */
export function compileNode(node: Node): Evaluate {
  if (node.type !== 'path' && !isPlain(node)) throw new NotCompiled(`${node.type} with stages`);
  switch (node.type) {
    case 'path':
      return compilePath(node);
    case 'string':
    case 'number':
    case 'value': {
      const constant = node.value;
      return () => constant;
    }
    case 'binary':
      return compileBinary(node);
    case 'unary':
      return compileUnary(node);
    case 'condition':
      return compileCondition(node);
    case 'block': {
      const only = node.expressions?.[0];
      if (node.expressions?.length !== 1 || !only || only.type === 'bind') throw new NotCompiled('block');
      return compileNode(only);
    }
    default:
      throw new NotCompiled(node.type);
  }
}

function compilePath(node: Node): Evaluate {
  if (!isPlain(node)) throw new NotCompiled('path with group or kept arrays');
  const names = (node.steps ?? []).map((step) => {
    if (step.type !== 'name' || !isPlain(step)) throw new NotCompiled(`path step ${step.type}`);
    return step.value as string;
  });
  const [first, ...rest] = names;
  if (first === undefined) throw new NotCompiled('empty path');
  const last = names.length - 1;
  // Objects all the way down is what messages nearly always are; anything else goes the general way.
  return (input) => {
    let at = input;
    let i = 0;
    if (isNames(input)) {
      at = input.read(first);
      if (at === undefined) return undefined;
      i = 1;
    }
    for (; i <= last; i++) {
      if (at === null || typeof at !== 'object') return undefined;
      if (Array.isArray(at)) return general(at, i === 0 ? names : names.slice(i));
      at = lookup(at, i === 0 ? first : rest[i - 1]!);
      if (at === undefined) return undefined;
    }
    return isSequence(at) ? single(at) : at;
  };
}

/** evaluatePath and evaluateStep of the library, for name steps. */
function general(input: unknown, names: readonly string[]): unknown {
  let current: unknown[] = Array.isArray(input) ? input : [input];
  for (let i = 0; i < names.length; i++) {
    const found: unknown[] = [];
    for (const item of current) {
      const v = single(lookup(item, names[i]!));
      if (v !== undefined) found.push(v);
    }
    if (i === names.length - 1 && found.length === 1 && Array.isArray(found[0]) && !isSequence(found[0]))
      return found[0];
    const next: Sequence = makeSequence();
    for (const v of found) {
      if (Array.isArray(v)) for (const x of v) next.push(x);
      else next.push(v);
    }
    if (next.length === 0) return undefined;
    current = next;
  }
  return single(current);
}

function single(v: unknown): unknown {
  if (!isSequence(v)) return v;
  if (v.length === 0) return undefined;
  return v.length === 1 ? v[0] : v;
}

function compileBinary(node: Node): Evaluate {
  const left = compileNode(node.lhs as Node);
  const right = compileNode(node.rhs!);
  const op = node.value as string;
  const at = node.position;
  switch (op) {
    case '+':
    case '-':
    case '*':
    case '/':
    case '%':
      return (input) => arithmetic(op, left(input), right(input), at);
    case '<':
    case '<=':
    case '>':
    case '>=':
      return (input) => compare(op, left(input), right(input), at);
    case '=':
    case '!=': {
      const wanted = op === '=';
      return (input) => {
        const l = left(input);
        const r = right(input);
        return l === undefined || r === undefined ? false : equal(l, r) === wanted;
      };
    }
    case '&':
      return (input) => asString(left(input)) + asString(right(input));
    case 'and':
      return (input) => truth(left(input)) && truth(right(input));
    case 'or':
      return (input) => truth(left(input)) || truth(right(input));
    case 'in':
      return (input) => {
        const l = left(input);
        const r = right(input);
        if (l === undefined || r === undefined) return false;
        return (Array.isArray(r) ? r : [r]).some((v) => v === l);
      };
    default:
      throw new NotCompiled(`operator ${op}`);
  }
}

function compileUnary(node: Node): Evaluate {
  if (node.value === '[') {
    const items = (node.expressions ?? []).map((e) => ({
      run: compileNode(e),
      nested: e.type === 'unary' && e.value === '[',
    }));
    return (input) => {
      let out: unknown = [];
      for (const item of items) {
        const v = item.run(input);
        if (v === undefined) continue;
        out = item.nested ? [...(out as unknown[]), v] : append(out, v);
      }
      return out;
    };
  }
  if (node.value === '{') {
    const pairs = (node.lhs as readonly (readonly [Node, Node])[]).map(([key, value]) => {
      if (key.type !== 'string') throw new NotCompiled('computed key');
      return [key.value as string, compileNode(value)] as const;
    });
    if (new Set(pairs.map(([k]) => k)).size < pairs.length) throw new NotCompiled('repeated key');
    return (input) => {
      // An array as input would be grouped by key; the names in reach of a flow are always an object.
      const out: Record<string, unknown> = {};
      for (const [key, run] of pairs) {
        const v = run(input);
        if (v !== undefined) out[key] = v;
      }
      return out;
    };
  }
  throw new NotCompiled(`unary ${String(node.value)}`);
}

function compileCondition(node: Node): Evaluate {
  const test = compileNode(node.condition!);
  const yes = compileNode(node.then!);
  const no = node.else ? compileNode(node.else) : () => undefined;
  return (input) => (truth(test(input)) ? yes(input) : no(input));
}
