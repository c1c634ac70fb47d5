export * from './types';
export * from './validate';
export * from './sample';
export * from './tree';
export * from './infer';
