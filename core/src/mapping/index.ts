export * from './coverage';
export * from './fit';
export * from './suggest';
export * from './expression';
export * from './whole';
export * from './items';
export * from './made';
