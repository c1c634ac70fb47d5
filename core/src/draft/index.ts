export * from './common';
export * from './http';
export * from './names';
export * from './plan';
export * from './proxy';
export * from './rest';
export * from './any';
export * from './soap';
