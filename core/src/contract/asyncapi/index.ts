export * from './model';
export { readAsyncApi } from './read';
