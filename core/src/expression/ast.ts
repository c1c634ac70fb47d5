/** The nodes of JSONata's syntax tree, as far as the compiler looks into them. */
export interface Node {
  readonly type: string;
  readonly value?: unknown;
  readonly position?: number;
  readonly steps?: readonly Node[];
  readonly lhs?: Node | readonly (readonly [Node, Node])[];
  readonly rhs?: Node;
  readonly expression?: Node;
  readonly expressions?: readonly Node[];
  readonly condition?: Node;
  readonly then?: Node;
  readonly else?: Node;
  readonly arguments?: readonly Node[];
  readonly procedure?: Node;
  readonly body?: Node;
  readonly predicate?: unknown;
  readonly stages?: unknown;
  readonly group?: unknown;
  readonly keepArray?: boolean;
  readonly keepSingletonArray?: boolean;
  readonly consarray?: boolean;
  readonly focus?: unknown;
  readonly index?: unknown;
  readonly tuple?: unknown;
  readonly nextFunction?: unknown;
  readonly ancestor?: unknown;
  readonly terms?: readonly { readonly expression: Node; readonly descending?: boolean }[];
  readonly signature?: unknown;
  readonly thunk?: boolean;
}

const PLAIN_BLOCKERS = [
  'predicate',
  'stages',
  'group',
  'keepArray',
  'keepSingletonArray',
  'consarray',
  'focus',
  'index',
  'tuple',
  'nextFunction',
] as const;

/** True when nothing hangs on the node that would change how it is evaluated. */
export function isPlain(node: Node): boolean {
  for (const key of PLAIN_BLOCKERS) if (node[key]) return false;
  return true;
}

/** Name paths that start at the root, e.g. body.vessel.callNumber; the checker and completion use them. */
export function rootPaths(node: Node): string[][] {
  const out: string[][] = [];
  visit(node, out);
  return out;
}

function visit(node: unknown, out: string[][]): void {
  if (node === null || typeof node !== 'object') return;
  if (Array.isArray(node)) {
    for (const n of node) visit(n, out);
    return;
  }
  const n = node as Node;
  if (n.type === 'path' && n.steps) {
    const names: string[] = [];
    for (const step of n.steps) {
      if (step.type !== 'name') break;
      names.push(step.value as string);
      if (!isPlain(step)) break;
    }
    if (names.length) out.push(names);
    // Inside predicates and later steps names are relative; only expressions that start anew are looked into.
    for (const step of n.steps) if (step.type !== 'name') visitArguments(step, out);
    return;
  }
  for (const value of Object.values(n)) visit(value, out);
}

function visitArguments(step: Node, out: string[][]): void {
  if (step.type === 'function') for (const a of step.arguments ?? []) visit(a, out);
}

/** Every name that stands anywhere in an expression; undefined where it may reach all of them ($, $$, * and the like). */
export function namesIn(node: Node): ReadonlySet<string> | undefined {
  const out = new Set<string>();
  const walk = (n: unknown): boolean => {
    if (n === null || typeof n !== 'object') return true;
    if (Array.isArray(n)) return n.every(walk);
    const { type, value } = n as Node;
    if (type === 'wildcard' || type === 'descendant' || type === 'parent') return false;
    if (type === 'variable' && (value === '' || value === '$')) return false;
    if (type === 'name') out.add(value as string);
    return Object.values(n).every(walk);
  };
  return walk(node) ? out : undefined;
}

/** True where an expression binds or reads a variable: only then does it need a frame. */
export function bindsNames(node: unknown): boolean {
  if (node === null || typeof node !== 'object') return false;
  if (Array.isArray(node)) return node.some(bindsNames);
  const { type, value } = node as Node;
  if (type === 'bind' || type === 'lambda' || type === 'partial' || type === 'apply') return true;
  if (type === 'variable' && value !== '') return true;
  return Object.values(node).some(bindsNames);
}
