export * from './model';
export { anyBody, asJson, bodiesOf, othersThan, preferredMedia } from './media';
export { readOpenApi } from './read';
export { externalReferences, parseTree } from './source';
