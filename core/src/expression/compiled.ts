import type { Node } from './ast';
import type { Frame } from './values';

export type Evaluate = (input: unknown, frame: Frame) => unknown;

/** Thrown while compiling: the construct belongs to the library. The compiler never approximates. */
export class NotCompiled extends Error {
  constructor(readonly construct: string) {
    super(construct);
  }
}

/** Names bound around a node: what is bound is no built-in function. */
export type Bound = ReadonlySet<string>;
export const NONE: Bound = new Set();

/** Compiles a node; handed about so that the parts of the compiler need not import each other. */
export type Compile = (node: Node, bound: Bound) => Evaluate;
