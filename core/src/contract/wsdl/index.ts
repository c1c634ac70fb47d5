export * from './model';
export * from './read';
export { referencesIn } from './schemas';
