export * from './expression';
export { ExpressionError } from './operators';
export { rootPaths, type Node } from './ast';
