export * from './faults';
export * from './plain';
export { ReadContext } from './read-parts';
export * from './read';
export { isObject } from '../../message/objects';
export * from './write';
export * from './simple';
