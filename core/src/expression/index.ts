export * from './expression';
export { ExpressionError } from './error';
export { argumentsOf, FUNCTION_SIGNATURES, mistakesOf, type ExpressionMistake } from './mistakes';
export { rootPaths, type Node } from './ast';
export { jsonataName } from './name';
