export * from './components';
export * from './set';
export { documentationOf, deepText } from './resolver';
export * from './binding';
export * from './json-schema';
export { builtinType, jsonKind } from './builtins';
export { lexicalForm } from './lexical';
export * from './order';
export { SchemaElements } from './from-schema';
