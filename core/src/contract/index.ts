export * from './model';
export * from './wsdl';
export * from './openapi';
export * from './read';
export * from './collect';
export { resolveLocation } from './locations';
export * from './difference';
export * from './asyncapi';
export * from './graphql';
