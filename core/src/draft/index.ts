export * from './names';
export * from './plan';
export * from './proxy';
export * from './rest';
