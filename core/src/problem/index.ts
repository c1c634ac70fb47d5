export * from './codes';
export * from './finding';
export * from './refusal';
