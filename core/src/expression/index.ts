export * from './expression';
export { ExpressionError } from './error';
export { rootPaths, type Node } from './ast';
export { jsonataName } from './name';
