import { setMember } from '../message/objects';
import { compileApply, compileCall, compileLambda, compilePartial } from './calls';
import { isPlain, type Node } from './ast';
import { NONE, NotCompiled, type Bound, type Evaluate } from './compiled';
import { charge } from './budget';
import { ExpressionError } from './error';
import { builtin } from './functions';
import { append, arithmetic, asString, compare, equal, lookup, numeric, plain, truth } from './operators';
import { compilePath, filtered, grouped, groupRunner, type Group } from './paths';
import { descend, whole, wildcard } from './reach';
import { Pattern } from './text-functions';
import { Frame, isSequence, makeSequence, markConstructed, settled, tick } from './values';

/** Compiles one node of JSONata's syntax tree to a closure, or throws NotCompiled. */
export function compileNode(node: Node, bound: Bound = NONE): Evaluate {
  for (const key of ['focus', 'index', 'tuple', 'ancestor', 'nextFunction'] as const)
    if (node[key]) throw new NotCompiled(key === 'nextFunction' ? 'next function' : key);
  let run = compileBare(node, bound);
  for (const p of (node.predicate as readonly { type: string; expr: Node }[] | undefined) ?? [])
    run = filtered(run, p, bound, compileNode);
  if (node.type !== 'path' && node.group) run = grouped(run, node.group as Group, bound, compileNode);
  if (
    node.type === 'path' ||
    node.predicate ||
    node.keepArray ||
    node.type === 'wildcard' ||
    node.type === 'function' ||
    node.type === 'apply'
  ) {
    const inner = run;
    const keep = Boolean(node.keepArray);
    return (input, frame) => {
      const v = inner(input, frame);
      if (!isSequence(v)) return v;
      if (keep) v.keepSingleton = true;
      return settled(v);
    };
  }
  return run;
}

function compileBare(node: Node, bound: Bound): Evaluate {
  switch (node.type) {
    case 'path':
      return compilePath(node, bound, compileNode);
    case 'string':
    case 'number':
    case 'value': {
      const constant = node.value;
      return () => constant;
    }
    case 'name': {
      const name = node.value as string;
      return (input) => settled(lookup(input, name));
    }
    case 'binary':
      return compileBinary(node, bound);
    case 'unary':
      return compileUnary(node, bound);
    case 'condition':
      return compileCondition(node, bound);
    case 'block':
      return compileBlock(node, bound);
    case 'bind': {
      const name = (node.lhs as Node).value as string;
      // A function may call itself: its name is bound before its body runs.
      const value = compileNode(node.rhs!, new Set([...bound, name]));
      return (input, frame) => {
        const v = value(input, frame);
        frame.bind(name, v);
        return v;
      };
    }
    case 'variable':
      return compileVariable(node, bound);
    case 'lambda':
      return compileLambda(node, bound, compileNode);
    case 'function':
      return compileCall(node, bound, compileNode);
    case 'partial':
      return compilePartial(node, bound, compileNode);
    case 'apply':
      return compileApply(node, bound, compileNode);
    case 'wildcard':
      return (input) => wildcard(input);
    case 'descendant':
      return (input) => {
        const out = makeSequence();
        if (input !== undefined) descend(whole(input), out);
        return out.length === 1 ? out[0] : out.length ? out : undefined;
      };
    case 'regex': {
      const pattern = new Pattern(node.value as RegExp);
      return () => pattern;
    }
    default:
      throw new NotCompiled(node.type);
  }
}

function compileBinary(node: Node, bound: Bound): Evaluate {
  const left = compileNode(node.lhs as Node, bound);
  const right = compileNode(node.rhs!, bound);
  const op = node.value as string;
  const at = node.position;
  switch (op) {
    case '+':
    case '-':
    case '*':
    case '/':
    case '%':
      return (input, frame) => arithmetic(op, left(input, frame), right(input, frame), at);
    case '<':
    case '<=':
    case '>':
    case '>=':
      return (input, frame) => compare(op, left(input, frame), right(input, frame), at);
    case '=':
    case '!=': {
      const wanted = op === '=';
      return (input, frame) => {
        const l = left(input, frame);
        const r = right(input, frame);
        return l === undefined || r === undefined ? false : equal(l, r) === wanted;
      };
    }
    case '&':
      return (input, frame) => {
        const l = asString(left(input, frame));
        const r = asString(right(input, frame));
        // V8 joins texts without copying them: what counts is the piece that is new.
        charge(l.length < r.length ? l.length : r.length);
        return l + r;
      };
    case 'and':
      return (input, frame) => truth(left(input, frame)) && truth(right(input, frame));
    case 'or':
      return (input, frame) => truth(left(input, frame)) || truth(right(input, frame));
    case 'in':
      return (input, frame) => {
        const l = left(input, frame);
        const r = right(input, frame);
        if (l === undefined || r === undefined) return false;
        return (Array.isArray(r) ? (r as unknown[]) : [r]).some((v) => (tick(), plain(v) === plain(l)));
      };
    case '..':
      return (input, frame) => range(left(input, frame), right(input, frame), at);
    default:
      throw new NotCompiled(`operator ${op}`);
  }
}

const MOST = 10_000_000;

function range(l: unknown, r: unknown, at: number | undefined): unknown {
  const from = plain(l);
  const to = plain(r);
  if (from !== undefined && !Number.isInteger(from))
    throw new ExpressionError('T2003', 'the left side of .. must be a whole number', at);
  if (to !== undefined && !Number.isInteger(to))
    throw new ExpressionError('T2004', 'the right side of .. must be a whole number', at);
  if (from === undefined || to === undefined || (from as number) > (to as number)) return undefined;
  const n = (to as number) - (from as number) + 1;
  if (n > MOST) throw new ExpressionError('D2014', `a range may have at most ${MOST} numbers`, at);
  charge(8 * n);
  const out = makeSequence();
  for (let i = 0; i < n; i++) {
    tick();
    out.push((from as number) + i);
  }
  return out;
}

function compileUnary(node: Node, bound: Bound): Evaluate {
  if (node.value === '-') {
    const inner = compileNode(node.expression!, bound);
    return (input, frame) => {
      const v = plain(inner(input, frame));
      if (v === undefined) return undefined;
      if (!numeric(v)) throw new ExpressionError('D1002', 'only a number can be negated', node.position);
      return -v;
    };
  }
  if (node.value === '[') {
    const items = (node.expressions ?? []).map((e) => ({
      run: compileNode(e, bound),
      nested: e.value === '[',
    }));
    const cons = Boolean(node.consarray);
    return (input, frame) => {
      charge(8 * items.length);
      let out: unknown = [];
      for (const item of items) {
        const v = item.run(input, frame);
        if (v === undefined) continue;
        if (item.nested) (out as unknown[]).push(v);
        else out = append(out, v);
      }
      return cons ? markConstructed(out as unknown[]) : out;
    };
  }
  if (node.value === '{') {
    const pairs = node.lhs as Group['lhs'];
    // Fixed keys over one value: nothing to group.
    const fixed =
      pairs.every(([k]) => k.type === 'string' && isPlain(k)) &&
      new Set(pairs.map(([k]) => k.value)).size === pairs.length;
    const general = groupRunner(node as Group, bound, compileNode);
    if (!fixed) return (input, frame) => general(input, frame);
    const members = pairs.map(([k, v]) => [k.value as string, compileNode(v, bound)] as const);
    return (input, frame) => {
      if (Array.isArray(input)) return general(input, frame);
      charge(16 * members.length);
      const out: Record<string, unknown> = {};
      for (const [key, run] of members) {
        const v = run(input, frame);
        if (v !== undefined) setMember(out, key, v);
      }
      return out;
    };
  }
  throw new NotCompiled(`unary ${String(node.value)}`);
}

function compileCondition(node: Node, bound: Bound): Evaluate {
  const test = compileNode(node.condition!, bound);
  const yes = compileNode(node.then!, bound);
  const no = node.else ? compileNode(node.else, bound) : () => undefined;
  return (input, frame) => (truth(test(input, frame)) ? yes(input, frame) : no(input, frame));
}

function compileBlock(node: Node, bound: Bound): Evaluate {
  const names = new Set(bound);
  const parts = (node.expressions ?? []).map((e) => {
    const run = compileNode(e, names);
    if (e.type === 'bind') names.add((e.lhs as Node).value as string);
    return run;
  });
  if (parts.length === 1 && node.expressions![0]!.type !== 'bind') return parts[0]!;
  return (input, frame) => {
    const inner = new Frame(frame);
    let v: unknown;
    for (const part of parts) v = part(input, inner);
    return v;
  };
}

/** Functions with pictures, clocks, chance, or an evaluator of their own. */
const LEFT_TO_LIBRARY: ReadonlySet<string> = new Set([
  'formatNumber',
  'formatInteger',
  'parseInteger',
  'now',
  'millis',
  'toMillis',
  'fromMillis',
  'eval',
  'clone',
  'shuffle',
  'random',
  'base64encode',
  'base64decode',
]);

function compileVariable(node: Node, bound: Bound): Evaluate {
  const name = node.value as string;
  if (name === '') return (input) => whole(input);
  if (name === '$') return (_input, frame) => whole(frame.lookup('$'));
  const f = bound.has(name) ? undefined : builtin(name);
  if (f) return () => f;
  if (!bound.has(name) && LEFT_TO_LIBRARY.has(name)) throw new NotCompiled(`$${name}`);
  return (_input, frame) => frame.lookup(name);
}
