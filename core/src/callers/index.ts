export * from './directory';
export * from './endpoint';
export * from './ports';
export * from './tokens';
