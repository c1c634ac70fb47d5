export * from './check';
export * from './compile';
export * from './contracts';
export * from './document';
export * from './ports';
export * from './rehearse';
export * from './text';
