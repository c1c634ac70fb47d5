export * from './body';
export * from './digits';
export * from './headers';
export * from './message';
export * from './secrets';
export * from './show';
export * from './url';
