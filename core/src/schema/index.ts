export * from './types';
export * from './validate';
export * from './sample';
export * from './sides';
export * from './tree';
export * from './infer';
