export * from './model';
export { preferredMedia, readOpenApi } from './read';
export { externalReferences, parseTree } from './source';
