export * from './model';
export * from './read';
export { referencesIn } from './schemas';
export { writeWsdl, type WriteWsdlOptions } from './write';
