export * from './coverage';
export * from './fit';
export * from './suggest';
