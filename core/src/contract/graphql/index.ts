export type { GraphqlOperation } from './model';
export { isGraphql, NOTHING, readGraphql, schemaOf } from './read';
