export * from './berths';
export * from './seed';
