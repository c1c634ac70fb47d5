import { setMember } from '../message/objects';
import { isPlain, type Node } from './ast';
import { NotCompiled, type Bound, type Compile, type Evaluate } from './compiled';
import { ExpressionError } from './error';
import { append, isNames, lookup, plain, truth } from './operators';
import { isConstructed, isSequence, makeSequence, settled, tick, type Frame } from './values';

export function compilePath(node: Node, bound: Bound, compile: Compile): Evaluate {
  const steps = node.steps ?? [];
  if (steps.every((s) => s.type === 'name' && isPlain(s)) && isPlain(node))
    return namesOnly(steps.map((s) => s.value as string));
  const compiled = steps.map((step, i) => compileStep(step, i === steps.length - 1, bound, compile));
  const first = steps[0]!;
  const startsAnew = first.type === 'variable';
  const cons = Boolean(first.consarray);
  const keep = Boolean(node.keepSingletonArray);
  const group = node.group as Group | undefined;
  const finish = group && groupRunner(group, bound, compile);
  const firstNode = cons ? compile(first, bound) : undefined;
  return (input, frame) => {
    let current: unknown[] = Array.isArray(input) && !startsAnew ? (input as unknown[]) : [input];
    let result: unknown;
    for (let i = 0; i < compiled.length; i++) {
      result =
        i === 0 && firstNode
          ? firstNode(current.length === 1 && !Array.isArray(input) ? input : current, frame)
          : compiled[i]!(current, frame);
      if (result === undefined || (Array.isArray(result) && result.length === 0)) break;
      current = Array.isArray(result) ? (result as unknown[]) : [result];
    }
    if (keep && Array.isArray(result)) {
      if (isConstructed(result) && !isSequence(result)) result = makeSequence(result);
      if (isSequence(result)) result.keepSingleton = true;
    }
    return finish ? finish(result, frame) : result;
  };
}

/** Objects all the way down is what messages nearly always are; anything else goes the general way. */
function namesOnly(names: readonly string[]): Evaluate {
  return straight(names) ?? steps(names);
}

/** Names that objects have by nature, or that our own numbers have: looked up the careful way. */
const risky = (name: string): boolean =>
  name in Object.prototype || name === 'text' || name === 'toJSON' || name === 'isNames' || name === 'read';

/**
 * A path as straight-line code, so that each access is one load the engine can specialise. Undefined where a name is risky, or where code
 * may not be made (a content security policy): then closures do the same.
 */
function straight(names: readonly string[]): Evaluate | undefined {
  if (names.some(risky)) return undefined;
  const load = (name: string) => `v = v[${JSON.stringify(name)}]; if (v === undefined) return undefined;`;
  const guard = (i: number) =>
    `if (v === null || typeof v !== 'object') return undefined; if (Array.isArray(v)) return throughList(v, names, ${i});`;
  const [first, ...rest] = names;
  const body = `return (input) => {
    let v = input;
    ${guard(0)}
    if (v.isNames === true) { v = v.read(${JSON.stringify(first)}); if (v === undefined) return undefined; } else { ${load(first!)} }
    ${rest.map((name, i) => guard(i + 1) + load(name)).join('\n')}
    return Array.isArray(v) ? settled(v) : v;
  };`;
  try {
    // Names are quoted as JSON; nothing else of the expression gets into the code.
    return new Function('names', 'throughList', 'settled', body)(names, throughList, settled) as Evaluate;
  } catch {
    return undefined;
  }
}

function steps(names: readonly string[]): Evaluate {
  const last = names.length - 1;
  const first = names[0]!;
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
      if (Array.isArray(at)) return throughList(at, names, i);
      at = lookup(at, names[i]!);
      if (at === undefined) return undefined;
    }
    return isSequence(at) ? settled(at) : at;
  };
}

/** evaluatePath and evaluateStep of the library, for name steps. */
function throughList(input: readonly unknown[], names: readonly string[], from: number): unknown {
  let current: readonly unknown[] = input;
  for (let i = from; i < names.length; i++) {
    const found: unknown[] = [];
    for (const item of current) {
      tick();
      const v = settled(lookup(item, names[i]!));
      if (v !== undefined) found.push(v);
    }
    const next = together(found, i === names.length - 1);
    if (next.length === 0) return isSequence(next) ? undefined : next;
    current = next;
  }
  return isSequence(current) ? settled(current) : current;
}

/** What a step found for each item, as one list; the only list of a last step stays as it is. */
function together(found: readonly unknown[], last: boolean): unknown[] {
  const [only] = found;
  if (last && found.length === 1 && Array.isArray(only) && !isSequence(only)) return only as unknown[];
  const out = makeSequence();
  for (const v of found) {
    if (!Array.isArray(v) || isConstructed(v)) out.push(v);
    else for (const x of v as unknown[]) out.push(x);
  }
  return out;
}

type Stage = { readonly type: string; readonly expr: Node };

function compileStep(
  step: Node,
  last: boolean,
  bound: Bound,
  compile: Compile,
): (input: unknown[], frame: Frame) => unknown {
  const stages = (step.stages as readonly Stage[] | undefined) ?? [];
  if (stages.some((s) => s.type !== 'filter')) throw new NotCompiled('index');
  const filters = stages.map((s) => filterRunner(s.expr, bound, compile));
  if (step.type === 'sort') {
    const sorted = compileSort(step, bound, compile);
    return (input, frame) => filters.reduce<unknown>((v, f) => f(v, frame), sorted(input, frame));
  }
  const { stages: _stages, ...bare } = step;
  const run = compile(bare as Node, bound);
  return (input, frame) => {
    const found: unknown[] = [];
    for (const item of input) {
      tick();
      let v = run(item, frame);
      for (const f of filters) v = f(v, frame);
      // The library unwraps what a step's own evaluation gave, not what a filter left.
      if (v !== undefined) found.push(v);
    }
    return together(found, last);
  };
}

export function filtered(run: Evaluate, predicate: { expr: Node }, bound: Bound, compile: Compile): Evaluate {
  const filter = filterRunner(predicate.expr, bound, compile);
  return (input, frame) => filter(run(input, frame), frame);
}

/** A number chooses by place, from the end when negative; a list of numbers chooses several; anything else by truth. */
export function filterRunner(
  predicate: Node,
  bound: Bound,
  compile: Compile,
): (value: unknown, frame: Frame) => unknown {
  if (predicate.type === 'number') {
    const wanted = Math.floor(predicate.value as number);
    return (value) => {
      const list: unknown[] = Array.isArray(value) ? (value as unknown[]) : value === undefined ? [] : [value];
      const item = list[wanted < 0 ? list.length + wanted : wanted];
      if (item === undefined) return makeSequence();
      return Array.isArray(item) ? item : makeSequence(item);
    };
  }
  const test = compile(predicate, bound);
  return (value, frame) => {
    const list: unknown[] = Array.isArray(value) ? (value as unknown[]) : value === undefined ? [] : [value];
    const out = makeSequence();
    for (let i = 0; i < list.length; i++) {
      tick();
      const item = list[i];
      const r = plain(test(item, frame));
      const numbers =
        typeof r === 'number'
          ? [r]
          : Array.isArray(r) && r.length > 0 && r.every((x) => typeof plain(x) === 'number')
            ? r.map((x) => plain(x) as number)
            : undefined;
      if (numbers) {
        for (const n of numbers) {
          const at = Math.floor(n);
          if ((at < 0 ? list.length + at : at) === i) out.push(item);
        }
      } else if (truth(r)) out.push(item);
    }
    return out;
  };
}

function compileSort(step: Node, bound: Bound, compile: Compile): (input: unknown[], frame: Frame) => unknown {
  const terms = (step.terms ?? []).map((t) => ({ run: compile(t.expression, bound), down: t.descending === true }));
  return (input, frame) => {
    if (input.length <= 1) return input;
    const rows = input.map((item) => ({ item, keys: terms.map(({ run }) => plain(run(item, frame))) }));
    rows.sort((a, b) => {
      tick();
      for (let i = 0; i < terms.length; i++) {
        const order = compareKeys(a.keys[i], b.keys[i], step.position);
        if (order !== 0) return terms[i]!.down && a.keys[i] !== undefined && b.keys[i] !== undefined ? -order : order;
      }
      return 0;
    });
    return rows.map((r) => r.item);
  };
}

/** Nothing comes last, in either direction. */
function compareKeys(x: unknown, y: unknown, position: number | undefined): number {
  if (x === undefined || y === undefined) return x === y ? 0 : x === undefined ? 1 : -1;
  const simple = (v: unknown) => typeof v === 'string' || typeof v === 'number';
  if (!simple(x) || !simple(y)) throw new ExpressionError('T2008', 'only numbers and texts can be sorted by', position);
  if (typeof x !== typeof y) throw new ExpressionError('T2007', 'what is sorted by must be of one type', position);
  return x === y ? 0 : (x as number) > (y as number) ? 1 : -1;
}

export type Group = Node & { readonly lhs: readonly (readonly [Node, Node])[] };

export function grouped(run: Evaluate, group: Group, bound: Bound, compile: Compile): Evaluate {
  const finish = groupRunner(group, bound, compile);
  return (input, frame) => finish(run(input, frame), frame);
}

/** An object by keys that each item gives; items of one key come to the value's expression together. */
export function groupRunner(group: Group, bound: Bound, compile: Compile): (value: unknown, frame: Frame) => unknown {
  const pairs = group.lhs.map(([k, v]) => [compile(k, bound), compile(v, bound)] as const);
  return (value, frame) => {
    const list: unknown[] = Array.isArray(value) ? (value as unknown[]) : value === undefined ? [] : [value];
    const items: readonly unknown[] = list.length === 0 ? [undefined] : list;
    const groups = new Map<string, { data: unknown; pair: number }>();
    for (const item of items) {
      pairs.forEach(([keyOf], pair) => {
        tick();
        const key = keyOf(item, frame);
        if (key === undefined) return;
        if (typeof key !== 'string')
          throw new ExpressionError('T1003', 'the key of an object must be text', group.position);
        const have = groups.get(key);
        if (!have) groups.set(key, { data: item, pair });
        else if (have.pair !== pair) throw new ExpressionError('D1009', `several keys are ${key}`, group.position);
        else have.data = append(have.data, item);
      });
    }
    const out: Record<string, unknown> = {};
    for (const [key, { data, pair }] of groups) {
      const v = pairs[pair]![1](data, frame);
      if (v !== undefined) setMember(out, key, v);
    }
    return out;
  };
}
