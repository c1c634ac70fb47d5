export * from './model';
export * from './read';
export { referencesIn, resolveLocation } from './schemas';
